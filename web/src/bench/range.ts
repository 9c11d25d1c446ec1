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

interface Ends {
  first: number;
  last: number;
}

/** The runs of places that an output takes, as they follow each other: the range, or its spans. */
export function runsOf(recipe: Recipe, output: Output, places: number): Ends[] {
  const spans = output.take.spans.flatMap((name) => recipe.rhythm.spans.filter((one) => one.name === name));
  if (spans.length > 0) return spans;
  const { first, last } = ownRange(output) ? output.take : recipe.rhythm;
  return [{ first: first ?? 1, last: last ?? places }];
}

/** The ends of what an output takes. */
export function rangeOf(recipe: Recipe, output: Output, places: number): Ends {
  const runs = runsOf(recipe, output, places);
  return {
    first: Math.min(...runs.map(({ first }) => first)),
    last: Math.max(...runs.map(({ last }) => last)),
  };
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

/** Move one end of the range to a place, called so; the other gives way where they would cross. */
export function setEnd(
  bench: Bench,
  end: "first" | "last",
  at: number,
  { gesture = "", called = `frame ${at}` } = {},
): void {
  const places = placesOf(bench);
  bench.edit(
    `Range ${end === "first" ? "from" : "to"} ${called}`,
    (recipe) => {
      const output = recipe.outputs.find((one) => one.id === bench.output.id) ?? bench.output;
      const taken = { ...output, take: { ...output.take, spans: [] } } as Output;
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
    take: { ...so.take, spans: [], ...(own ? { first, last } : { first: null, last: null }) },
  }));
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
