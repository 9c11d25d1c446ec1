// How the stage looks at the picture: kept while the page is open, never part of a project.

import { create } from "zustand";
import type { Choice } from "../ui/controls";

export type View = "result" | "source" | "wipe" | "difference" | "ends" | "error" | "changes" | EdgeView;
/** In which edges are judged: alpha alone, or the result over black, white and the page colour at once. */
export type EdgeView = "alpha" | "backdrops";
export type Backdrop = "chequer" | "page" | "black" | "white";
export type Zoom = "fit" | "1" | "2" | "4";

export const VIEWS: readonly Choice<View>[] = [
  { value: "result", label: "Result", tip: "The real output", keys: "1" },
  { value: "source", label: "Source", tip: "The frames as framed, before tuning", keys: "2" },
  { value: "wipe", label: "Wipe", tip: "Source left, result right", keys: "3" },
  { value: "difference", label: "Difference", tip: "Source against result, amplified 8 ×", keys: "4" },
  { value: "ends", label: "Ends", tip: "The last frame beside the first", keys: "5" },
  {
    value: "error",
    label: "Error",
    tip: "Error map: where the result differs from the source, and by how much",
    keys: "6",
  },
  { value: "changes", label: "Changes", tip: "What differs from the previous frame", keys: "7" },
];

/** Views that the frames are held against. */
export const NEEDS_SOURCE: readonly View[] = ["source", "wipe", "difference", "error"];

export const BACKDROPS: readonly Backdrop[] = ["chequer", "page", "black", "white"];
export const ZOOMS: readonly Choice<Zoom>[] = [
  { value: "fit", label: "Fit" },
  { value: "1", label: "1×", name: "100 %" },
  { value: "2", label: "2×", name: "200 %" },
  { value: "4", label: "4×", name: "400 %" },
];

export const useView = create<{
  view: View;
  backdrop: Backdrop;
  zoom: Zoom;
  wipe: number;
  neighbours: boolean;
  /** How many of them on each side. */
  reach: number;
  /** Pixels under the pointer are shown large, in source and result. */
  loupe: boolean;
  /** A colour of the result whose pixels are lit, as #rrggbb. */
  lit: string | null;
  /** What was gone to: a step, and left and top of a place in it. */
  mark: { step: number; place: readonly [number, number] } | null;
}>(() => ({
  view: "result",
  backdrop: "chequer",
  zoom: "fit",
  wipe: 0.5,
  neighbours: false,
  reach: 1,
  loupe: false,
  lit: null,
  mark: null,
}));

export const setView = (view: View) => useView.setState({ view });

export function nextBackdrop(): void {
  useView.setState(({ backdrop }) => ({
    backdrop: BACKDROPS[(BACKDROPS.indexOf(backdrop) + 1) % BACKDROPS.length] ?? "chequer",
  }));
}

/** Show the frames before and after, faintly. */
export function toggleNeighbours(): void {
  useView.setState(({ neighbours }) => ({ neighbours: !neighbours }));
}

export function toggleLoupe(): void {
  useView.setState(({ loupe }) => ({ loupe: !loupe }));
}

/** One, two or three frames on each side. */
export function nextReach(): void {
  useView.setState(({ reach }) => ({ neighbours: true, reach: (reach % 3) + 1 }));
}

export function nextZoom(): void {
  useView.setState(({ zoom }) => ({
    zoom: ZOOMS[(ZOOMS.findIndex((one) => one.value === zoom) + 1) % ZOOMS.length]?.value ?? "fit",
  }));
}
