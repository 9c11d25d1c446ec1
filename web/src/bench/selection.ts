// Which frames of the strip are selected, and what can be done to all of them at once.

import { create } from "zustand";
import { FLICKS, hundredths } from "../format";
import type { Bench } from "./edits";
import { leaveOutPositions } from "./findings";

/** Indices in played order. */
export const useSelection = create<{ chosen: ReadonlySet<number>; anchor: number }>(() => ({
  chosen: new Set(),
  anchor: -1,
}));

const CENTISECOND = FLICKS / 100;
/** The shortest delay that viewers play as written. */
const FLOOR = 2 * CENTISECOND;

export function select(index: number, how: "only" | "toggle" | "through"): void {
  useSelection.setState(({ chosen, anchor }) => {
    if (how === "through" && anchor >= 0) {
      const [from, to] = [Math.min(anchor, index), Math.max(anchor, index)];
      return { chosen: new Set(Array.from({ length: to - from + 1 }, (_, i) => from + i)), anchor };
    }
    if (how === "toggle") {
      const next = new Set(chosen);
      if (!next.delete(index)) next.add(index);
      return { chosen: next, anchor: index };
    }
    return { chosen: new Set([index]), anchor: index };
  });
}

export function selectAll(count: number): void {
  useSelection.setState({ chosen: new Set(Array.from({ length: count }, (_, i) => i)), anchor: 0 });
}

/** The source positions of played frames, in the current result. */
export function positionsOf(bench: Bench, indices: Iterable<number>): number[] {
  const played = bench.project.results.find((one) => one.output_id === bench.output.id)?.positions ?? [];
  return [...new Set([...indices].map((index) => played[index]).filter((position) => position !== undefined))];
}

export function holdFrames(bench: Bench, positions: readonly number[], flicks: number, gesture = ""): void {
  bench.edit(
    `${positions.length === 1 ? `Frame ${positions[0] ?? ""}` : `${positions.length} frames`} to ${hundredths(flicks)} hundredths`,
    (recipe) => ({
      ...recipe,
      rhythm: {
        ...recipe.rhythm,
        holds: {
          ...recipe.rhythm.holds,
          ...Object.fromEntries(positions.map((position) => [position, flicks])),
        },
      },
    }),
    gesture,
  );
}

export function releaseFrames(bench: Bench, positions: readonly number[]): void {
  bench.edit("Holds let go", (recipe) => ({
    ...recipe,
    rhythm: {
      ...recipe.rhythm,
      holds: Object.fromEntries(
        Object.entries(recipe.rhythm.holds).filter(([position]) => !positions.includes(Number(position))),
      ),
    },
  }));
}

export function leaveOut(bench: Bench): void {
  const positions = positionsOf(bench, useSelection.getState().chosen);
  if (positions.length === 0) return;
  useSelection.setState({ chosen: new Set(), anchor: -1 });
  bench.edit(
    positions.length === 1 ? "Frame left out" : `${positions.length} frames left out`,
    leaveOutPositions(positions),
  );
}

/** Make each selected frame longer or shorter by hundredths of a second. */
export function nudge(bench: Bench, by: number): void {
  const result = bench.project.results.find((one) => one.output_id === bench.output.id);
  const { chosen } = useSelection.getState();
  if (!result || chosen.size === 0) return;
  const changed: Record<number, number> = {};
  for (const index of chosen) {
    const position = result.positions[index];
    const delay = result.info.frames[index]?.delay_ms;
    if (position !== undefined && delay !== undefined)
      changed[position] = Math.max(FLOOR, ((delay / 10) | 0) * CENTISECOND + by * CENTISECOND);
  }
  bench.edit(by > 0 ? "Longer" : "Shorter", (recipe) => ({
    ...recipe,
    rhythm: { ...recipe.rhythm, holds: { ...recipe.rhythm.holds, ...changed } },
  }));
}
