// Which places are selected, and what can be done to all of them at once.

import { create } from "zustand";
import { count, hundredths } from "../format";
import { added, CENTISECOND, FLOOR, pasted, timeOf, withoutHolds, withTimes } from "./delays";
import type { Bench } from "./edits";
import { leaveOutPositions } from "./findings";
import type { Timeline } from "./timeline";
import { arranged, dropped, rearranged } from "./order";

/** Places in the order: a frame that is played there and back is selected in both directions. */
export const useSelection = create<{
  places: ReadonlySet<number>;
  /** The played index from which a selection is drawn on. */
  anchor: number;
  /** Copied times, in flicks. */
  copied: readonly number[];
}>(() => ({ places: new Set(), anchor: -1, copied: [] }));

export function select(result: Timeline, index: number, how: "only" | "toggle" | "through"): void {
  const place = result.places[index];
  if (place === undefined) return;
  useSelection.setState(({ places, anchor }) => {
    if (how === "through" && anchor >= 0) {
      const [from, to] = [Math.min(anchor, index), Math.max(anchor, index)];
      return { places: new Set(result.places.slice(from, to + 1)), anchor };
    }
    if (how === "toggle") {
      const next = new Set(places);
      if (!next.delete(place)) next.add(place);
      return { places: next, anchor: index };
    }
    return { places: new Set([place]), anchor: index };
  });
}

export const selectAll = (result: Timeline) =>
  useSelection.setState({ places: new Set(result.places), anchor: 0 });

export const selectNone = () => useSelection.setState({ places: new Set(), anchor: -1 });

export const chosenPlaces = () => [...useSelection.getState().places].sort((a, b) => a - b);

/** A time as it plays, brought back to what the recipe holds before a speed is applied. */
export const unscaled = (bench: Bench, flicks: number) =>
  bench.recipe.rhythm.length === null ? flicks / (shownResult(bench)?.scale ?? 1) : flicks;

/** What a set length makes of the delays that were not set by hand. */
export const shareOf = (bench: Bench) =>
  bench.recipe.rhythm.length === null ? 1 : (shownResult(bench)?.scale ?? 1);

export const shownResult = (bench: Bench) =>
  bench.project.results.find((one) => one.output_id === bench.output.id);

export function holdPlaces(bench: Bench, places: readonly number[], flicks: number, gesture = ""): void {
  const time = unscaled(bench, flicks);
  bench.edit(
    `${places.length === 1 ? `Frame ${places[0] ?? ""}` : count(places.length, "frame")} to ${hundredths(flicks)} hundredths`,
    (recipe) => ({ ...recipe, rhythm: withTimes(recipe.rhythm, places, () => time) }),
    gesture,
  );
}

/** Remember how long the selected frames last; returns how many. */
export function copyDelays(bench: Bench): number {
  const times = chosenPlaces().map((place) => timeOf(bench.recipe.rhythm, place, shareOf(bench)));
  if (times.length > 0) useSelection.setState({ copied: times });
  return times.length;
}

/** Lay the remembered delays over the selected frames. */
export function pasteDelays(bench: Bench): void {
  const places = chosenPlaces();
  const { copied } = useSelection.getState();
  if (places.length === 0 || copied.length === 0) return;
  bench.edit(`Delays pasted on ${count(places.length, "frame")}`, (recipe) => ({
    ...recipe,
    rhythm: pasted(recipe.rhythm, places, copied),
  }));
}

export function releasePlaces(bench: Bench, places: readonly number[]): void {
  bench.edit("Custom delays cleared", (recipe) => ({ ...recipe, rhythm: withoutHolds(recipe.rhythm, places) }));
}

export function leaveOut(bench: Bench): void {
  const places = chosenPlaces();
  if (places.length === 0) return;
  selectNone();
  const label = places.length === 1 ? "Frame left out" : `${places.length} frames left out`;
  if (bench.recipe.rhythm.order === null) bench.edit(label, leaveOutPositions(places));
  else {
    // In an order made by hand a frame may stand in several places: only the chosen ones go.
    reorder(bench, label, (length) => dropped(length, places));
  }
}

/** Change the order; `from` names for each new place the old one. */
export function reorder(bench: Bench, label: string, from: (length: number) => readonly number[]): void {
  const frames = bench.project.frames;
  bench.edit(label, (recipe) => ({
    ...recipe,
    rhythm: rearranged(recipe.rhythm, frames, from(arranged(recipe.rhythm, frames).length)),
  }));
}

/** Make each selected frame longer or shorter by hundredths of a second. */
export function nudge(bench: Bench, by: number): void {
  const places = chosenPlaces();
  if (places.length === 0) return;
  const [step, floor] = [unscaled(bench, by * CENTISECOND), unscaled(bench, FLOOR)];
  bench.edit(by > 0 ? "Longer" : "Shorter", (recipe) => ({
    ...recipe,
    rhythm: added(recipe.rhythm, places, step, floor, shareOf(bench)),
  }));
}
