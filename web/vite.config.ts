import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    // The content security policy allows files of our own only: nothing inlined, no polyfill script.
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    chunkSizeWarningLimit: 900,
    // The program, and the pages of the stand-ins, which serve them themselves.
    rolldownOptions: { input: ["index.html", "standin.html"] },
  },
  test: { include: ["src/**/*.test.ts"] },
});
