// The part of the order that plays: its ends, and the runs of frames that have names.

import { create } from "zustand";
import type { Output, Recipe } from "../api/client";
import type { Rhythm } from "./delays";
import type { Bench } from "./edits";
import { withEnd } from "../format";
import { arranged } from "./order";

export type Span = Rhythm["spans"][number];

/** Places that a change not made yet would drop, to be seen beforehand. */
export const usePreview = create<{ dropped: readonly number[] | null }>(() => ({ dropped: null }));

export const placesOf = (bench: Bench) => arranged(bench.recipe.rhythm, bench.project.frames).length;

/** Whether an output has a range of its own, instead of the one that all share. */
export const ownRange = ({ take }: Output) => take.first !== null || take.last !== null;

/** The ends of what an output takes. */
export function rangeOf(recipe: Recipe, output: Output, places: number): { first: number; last: number } {
  const span = recipe.rhythm.spans.find((one) => one.name === output.take.span);
  const { first, last } = ownRange(output) ? output.take : recipe.rhythm;
  return span ?? { first: first ?? 1, last: last ?? places };
}

export function withRange(rhythm: Rhythm, places: number, first: number, last: number): Rhythm {
  const [from, to] = [Math.max(1, Math.min(first, last)), Math.min(places, Math.max(first, last))];
  return { ...rhythm, first: from === 1 ? null : from, last: to === places ? null : to };
}

/** The recipe with another range for the output on show: its own, if it has one. */
function ranged(bench: Bench, recipe: Recipe, first: number, last: number): Recipe {
  const output = recipe.outputs.find((one) => one.id === bench.output.id);
  if (!output || !ownRange(output))
    return { ...recipe, rhythm: withRange(recipe.rhythm, placesOf(bench), first, last) };
  return {
    ...recipe,
    outputs: recipe.outputs.map((one) =>
      one === output ? { ...one, take: { ...one.take, first, last } } : one,
    ),
  };
}

/** Move one end of the range; the other gives way where they would cross. */
export function setEnd(bench: Bench, end: "first" | "last", at: number, gesture = ""): void {
  const places = placesOf(bench);
  bench.edit(
    `Range ${end === "first" ? "from" : "to"} frame ${at}`,
    (recipe) => {
      const output = recipe.outputs.find((one) => one.id === bench.output.id) ?? bench.output;
      const taken = { ...output, take: { ...output.take, span: null } } as Output;
      const { first, last } = withEnd(rangeOf(recipe, taken, places), end, at);
      return ranged(bench, recipe, first, last);
    },
    gesture,
  );
}

export function setRange(bench: Bench, first: number, last: number): void {
  bench.edit(`Range ${first} to ${last}`, (recipe) => ranged(bench, recipe, first, last));
}

/** Give the output on show a range of its own, as it plays now, or let it play the one that all share. */
export function setOwnRange(bench: Bench, own: boolean): void {
  const { first, last } = rangeOf(bench.recipe, bench.output, placesOf(bench));
  bench.editOutput(own ? "A range of its own" : "The range of all outputs", (so) => ({
    ...so,
    take: { ...so.take, span: null, ...(own ? { first, last } : { first: null, last: null }) },
  }));
}

/**
 * The numbers in the files' names, where frames stand in the order of these: of a place, and the place that a range
 * which is given in them begins or ends at. `apart`: they are not simply 1, 2, 3.
 */
export function fileNumbers(bench: Bench) {
  const { frame_list, report } = bench.project;
  if (bench.recipe.rhythm.order !== null || report.parts.length > 0) return null;
  const all = frame_list.map(({ number }) => number);
  const known = all.filter((number) => number !== null);
  if (known.length < all.length || known.some((number, index) => number < (known[index - 1] ?? number)))
    return null;
  return {
    first: known[0] ?? 1,
    last: known.at(-1) ?? 1,
    apart: known.some((number, index) => number !== index + 1),
    of: (place: number) => known[place - 1] ?? 1,
    place: (number: number, end: "first" | "last") =>
      end === "first"
        ? Math.max(1, known.findIndex((one) => one >= number) + 1)
        : Math.max(1, known.findLastIndex((one) => one <= number) + 1),
  };
}

/** A name that no span has yet. */
export function freeName(spans: readonly Span[], wish: string): string {
  for (let n = 1; ; n += 1) {
    const name = n === 1 ? wish : `${wish} ${n}`;
    if (!spans.some((span) => span.name === name)) return name;
  }
}

/** Tints that tell spans apart at a glance; their names tell them apart for everybody. */
const TINTS = [
  "bg-jay-soft border-jay text-jay-deep",
  "bg-buff-soft border-buff text-ink",
  "bg-fine-soft border-fine text-fine",
  "bg-look-soft border-look text-look",
  "bg-stop-soft border-stop text-stop",
  "bg-well border-ink-3 text-ink-2",
] as const;

export const tintOf = (index: number) => TINTS[index % TINTS.length] ?? TINTS[0];
