// The part of the order that plays: its ends, and the runs of frames that have names.

import { create } from "zustand";
import type { Recipe } from "../api/client";
import type { Rhythm } from "./delays";
import type { Bench } from "./edits";
import { withEnd } from "../format";
import { arranged } from "./order";

export type Span = Rhythm["spans"][number];

/** Places that a change not made yet would drop, to be seen beforehand. */
export const usePreview = create<{ dropped: readonly number[] | null }>(() => ({ dropped: null }));

export const placesOf = (bench: Bench) => arranged(bench.recipe.rhythm, bench.project.frames).length;

/** The ends of what the output takes. */
export function rangeOf(
  recipe: Recipe,
  spanName: string | null,
  places: number,
): { first: number; last: number } {
  const span = recipe.rhythm.spans.find((one) => one.name === spanName);
  return span ?? { first: recipe.rhythm.first ?? 1, last: recipe.rhythm.last ?? places };
}

export function withRange(rhythm: Rhythm, places: number, first: number, last: number): Rhythm {
  const [from, to] = [Math.max(1, Math.min(first, last)), Math.min(places, Math.max(first, last))];
  return { ...rhythm, first: from === 1 ? null : from, last: to === places ? null : to };
}

/** Move one end of the range; the other gives way where they would cross. */
export function setEnd(bench: Bench, end: "first" | "last", at: number, gesture = ""): void {
  const places = placesOf(bench);
  bench.edit(
    `Range ${end === "first" ? "from" : "to"} frame ${at}`,
    (recipe) => {
      const { first, last } = withEnd(rangeOf(recipe, null, places), end, at);
      return { ...recipe, rhythm: withRange(recipe.rhythm, places, first, last) };
    },
    gesture,
  );
}

export function setRange(bench: Bench, first: number, last: number): void {
  const places = placesOf(bench);
  bench.edit(`Range ${first} to ${last}`, (recipe) => ({
    ...recipe,
    rhythm: withRange(recipe.rhythm, places, first, last),
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
