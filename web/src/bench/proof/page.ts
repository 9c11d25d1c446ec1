// The page that a file is looked at on.

import { create } from "zustand";

export type Paper = "light" | "dark" | "matte" | "text" | "all";

export const usePage = create<{ width: "320" | "600" | "960"; paper: Paper }>(() => ({
  width: "600",
  paper: "text",
}));
