// The contact view's cells and what is chosen in it.

import { create } from "zustand";
import type { ProjectInfo } from "../api/client";

/** `chosen` and `focus` are source positions. */
export const useContact = create<{
  open: boolean;
  chosen: ReadonlySet<number>;
  anchor: number;
  focus: number;
}>(() => ({ open: false, chosen: new Set(), anchor: 1, focus: 1 }));

export type Cell =
  { kind: "frame"; position: number; number: number | null } | { kind: "gap"; from: number; to: number };

/** Frames in order, with one cell for each run of missing numbers between them. */
export function cellsOf(frames: Pick<ProjectInfo, "frame_list">["frame_list"]): Cell[] {
  const cells: Cell[] = [];
  let before: number | null = null;
  for (const { position, number } of frames) {
    if (before !== null && number !== null && number > before + 1)
      cells.push({ kind: "gap", from: before + 1, to: number - 1 });
    cells.push({ kind: "frame", position, number });
    before = number;
  }
  return cells;
}

export function choose(position: number, how: "only" | "toggle" | "through"): void {
  useContact.setState(({ chosen, anchor }) => {
    if (how === "through") {
      const [from, to] = [Math.min(anchor, position), Math.max(anchor, position)];
      return { chosen: new Set(Array.from({ length: to - from + 1 }, (_, i) => from + i)), focus: position };
    }
    if (how === "toggle") {
      const next = new Set(chosen);
      if (!next.delete(position)) next.add(position);
      return { chosen: next, anchor: position, focus: position };
    }
    return { chosen: new Set([position]), anchor: position, focus: position };
  });
}
