// What frames are counted by where they are typed: their place among the gathered ones, or the numbers in the names of
// their files.

import { useMemo } from "react";
import { create } from "zustand";
import { readOrder } from "../typed";
import { placesOf } from "./range";
import type { Bench } from "./edits";
import { EMPTY, orderInWords } from "./order";

type Count = "frames" | "files";

/** What each project's frames are counted by, where somebody has chosen it. */
const useChosen = create<Record<string, Count>>(() => ({}));

export const chooseCount = (project: string, by: Count) => useChosen.setState({ [project]: by });

/** Numbers of up to five digits are typed. */
const LARGEST = 99_999;

export interface Numbers {
  /** Of each gathered frame, in their order, which is that of the numbers too. */
  all: readonly number[];
  of: (position: number) => number;
  /** The frame of that number; undefined where none has it. */
  position: (number: number) => number | undefined;
}

/** The numbers of the files; null where they do not tell every frame from all others. */
export function fileNumbers(frames: readonly { number: number | null }[], parts = 0): Numbers | null {
  const all = frames.map(({ number }) => number ?? -1);
  if (parts > 0 || all.length === 0 || all.some((number, index) => number <= (all[index - 1] ?? -1)))
    return null;
  if ((all.at(-1) ?? 0) > LARGEST) return null;
  const positions = new Map(all.map((number, index) => [number, index + 1]));
  return { all, of: (position) => all[position - 1] ?? 0, position: (number) => positions.get(number) };
}

/** How frames are counted in a project now, and whether there is a choice. */
export function useCount(bench: Bench): { numbers: Numbers | null; by: Count; ofRange: Numbers | null } {
  const { id, frame_list, report } = bench.project;
  const chosen = useChosen((state) => state[id]);
  const parts = report.parts.length;
  const numbers = useMemo(() => fileNumbers(frame_list, parts), [frame_list, parts]);
  const apart = numbers?.all.some((number, index) => number !== index + 1) ?? false;
  const by = numbers === null ? "frames" : (chosen ?? (apart ? "files" : "frames"));
  // places of an order made by hand have no number of their own: a frame may stand in several
  const plain = bench.recipe.rhythm.order === null && numbers?.all.length === placesOf(bench);
  return { numbers, by, ofRange: by === "files" && plain ? numbers : null };
}

/** The place that a range which is given in numbers begins or ends at: the nearest that lies within it. */
export function placeOf(numbers: Numbers, number: number, end: "first" | "last"): number {
  const at =
    end === "first"
      ? numbers.all.findIndex((one) => one >= number)
      : numbers.all.findLastIndex((one) => one <= number);
  return Math.max(1, at + 1);
}

/**
 * Gathered frames in an order that is typed in the numbers of their files, with "blank" for an empty one, and the
 * numbers in it that no file has; null when it is no order.
 */
export function readNumbers(text: string, numbers: Numbers): { order: number[]; without: number[] } | null {
  const order: number[] = [];
  const without = new Set<number>();
  const named = numbers.position(0) !== undefined; // a file is number 0, else 0 is a blank as ever
  for (const [index, piece] of text
    .toLowerCase()
    .split(/\bblanks?\b/)
    .entries()) {
    if (index > 0) order.push(EMPTY);
    if (/^[\s,;]*$/.test(piece)) continue;
    const typed = readOrder(piece, LARGEST, named ? 0 : 1);
    if (typed === null) return null;
    for (const number of typed) {
      const position = numbers.position(number);
      if (position !== undefined) order.push(position);
      else if (number === 0) order.push(EMPTY);
      else without.add(number);
    }
  }
  return order.length > 0 ? { order, without: [...without].sort((a, b) => a - b) } : null;
}

/** An order in the numbers of the files, as it is typed. */
export function numbersOf(order: readonly number[], numbers: Numbers): string {
  const words: string[] = [];
  let run: number[] = [];
  for (const position of [...order, EMPTY]) {
    if (position !== EMPTY) {
      run.push(numbers.of(position));
      continue;
    }
    if (run.length > 0) words.push(orderInWords(run, -1));
    words.push("blank");
    run = [];
  }
  return words.slice(0, -1).join(", ");
}
