// The panel of controls: whether it is there where it lies over the stage, and the key that leads into it and back.

import { useEffect, useRef, type RefObject } from "react";
import { create } from "zustand";
import { STOPS } from "../ui/refocus";

/** In a wide window it stands beside the stage, and always is. */
export const usePanelOpen = create<{ open: boolean }>(() => ({ open: true }));

/** F6, as between the panes of other programs: to the first control, and back to where one was. */
export function usePanel(): { controls: RefObject<HTMLElement | null>; open: boolean } {
  const controls = useRef<HTMLElement>(null);
  const open = usePanelOpen((state) => state.open);
  useEffect(() => {
    let before: HTMLElement | null = null;
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "F6" || event.ctrlKey || event.altKey || event.metaKey) return;
      const active = document.activeElement instanceof HTMLElement ? document.activeElement : null;
      if (active?.closest("[role='dialog'], [role='menu']")) return;
      event.preventDefault();
      // on the heading it is on its way in
      if (active && controls.current?.contains(active) && !active.matches("h2")) {
        active.blur();
        if (before?.isConnected) before.focus();
        return;
      }
      before = active === document.body ? null : active;
      usePanelOpen.setState({ open: true });
      requestAnimationFrame(() => {
        const all = controls.current?.querySelectorAll<HTMLElement>(STOPS) ?? [];
        [...all].find((one) => one.checkVisibility())?.focus();
      });
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return { controls, open };
}
