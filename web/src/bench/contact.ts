// The contact view's cells and what is chosen in it.

import { create } from "zustand";
import type { Project } from "../api/client";

/** `chosen` and `focus` are places in the order. */
export const useContact = create<{
  open: boolean;
  chosen: ReadonlySet<number>;
  anchor: number;
  focus: number;
}>(() => ({ open: false, chosen: new Set(), anchor: 1, focus: 1 }));

export type Cell =
  | { kind: "frame"; place: number; position: number; number: number | null }
  | { kind: "gap"; from: number; to: number };

/**
 * The frames as they stand in order, with one cell for each run of missing numbers between them. Between two of
 * the sequences that were put together nothing is missing.
 */
export function cellsOf(
  frames: Project["frame_list"],
  parts: Project["report"]["parts"],
  order: readonly number[],
): Cell[] {
  const cells: Cell[] = [];
  const ends = new Set(parts.map((part) => part.last));
  order.forEach((position, index) => {
    const number = frames[position - 1]?.number ?? null;
    const follows = order[index - 1] === position - 1 && !ends.has(position - 1);
    const before = follows ? (frames[position - 2]?.number ?? null) : null;
    if (before !== null && number !== null && number > before + 1)
      cells.push({ kind: "gap", from: before + 1, to: number - 1 });
    cells.push({ kind: "frame", place: index + 1, position, number });
  });
  return cells;
}

export function choose(place: number, how: "only" | "toggle" | "through" | "focus"): void {
  useContact.setState(({ chosen, anchor }) => {
    if (how === "focus") return { focus: place };
    if (how === "through") {
      const [from, to] = [Math.min(anchor, place), Math.max(anchor, place)];
      return { chosen: new Set(Array.from({ length: to - from + 1 }, (_, i) => from + i)), focus: place };
    }
    if (how === "toggle") {
      const next = new Set(chosen);
      if (!next.delete(place)) next.add(place);
      return { chosen: next, anchor: place, focus: place };
    }
    return { chosen: new Set([place]), anchor: place, focus: place };
  });
}
