// Light paper by day, ink by night: the system's wish, unless one was chosen here.

import { create } from "zustand";

const CHOICE = "jayflick-theme";
const system = matchMedia("(prefers-color-scheme: dark)");

function wanted(): boolean {
  const chosen = localStorage.getItem(CHOICE);
  return chosen ? chosen === "dark" : system.matches;
}

export const useTheme = create<{ dark: boolean }>(() => ({ dark: wanted() }));

function apply(): void {
  const dark = wanted();
  document.documentElement.classList.toggle("dark", dark);
  useTheme.setState({ dark });
}

export function startTheme(): void {
  apply();
  system.addEventListener("change", apply);
}

export function switchTheme(): void {
  localStorage.setItem(CHOICE, wanted() ? "light" : "dark");
  apply();
}
