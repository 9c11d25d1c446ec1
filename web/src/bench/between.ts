// Pictures made between frames: which two are compared on the stage before they are taken.

import { create } from "zustand";
import type { ResultInfo } from "../api/client";

/** Whether a blend and what moves are beside each other on the stage. */
export const useCompare = create<{ open: boolean }>(() => ({ open: false }));

/** The frame that is shown and the next other one that is played; null where there are no two. */
export function pairAt(result: ResultInfo | undefined, index: number): [number, number] | null {
  const positions = result?.positions ?? [];
  const one = positions[index] ?? 0;
  for (let ahead = 1; ahead < positions.length; ahead += 1) {
    const other = positions[(index + ahead) % positions.length] ?? 0;
    if (one > 0 && other > 0 && other !== one) return [one, other];
  }
  return null;
}
