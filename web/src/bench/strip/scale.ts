// Where time lies on the strip: pure arithmetic, in ms and CSS pixels.

import { create } from "zustand";
import { usePlayhead } from "../../player/playhead";

export interface Scale {
  /** When each frame ends. */
  readonly ends: readonly number[];
  readonly total: number;
  readonly width: number;
  readonly perMs: number;
  /** What is at the left edge. */
  readonly from: number;
}

export const MOST_ZOOM = 400;

/** How far the strip is zoomed in, 1 showing all of it, and the time at its left edge. */
export const useZoom = create<{ zoom: number; from: number }>(() => ({ zoom: 1, from: 0 }));

export function scaleOf(
  delays: readonly number[],
  width: number,
  zoom: number,
  from: number,
  perMs?: number,
): Scale {
  const ends: number[] = [];
  let total = 0;
  for (const delay of delays) ends.push((total += delay));
  const each = perMs ?? (total > 0 ? (width * zoom) / total : 0);
  const most = each > 0 ? Math.max(0, total - width / each) : 0;
  return { ends, total, width, perMs: each, from: Math.min(Math.max(0, from), most) };
}

export const startOf = (scale: Scale, index: number) => (index <= 0 ? 0 : (scale.ends[index - 1] ?? 0));
export const xOf = (scale: Scale, ms: number) => (ms - scale.from) * scale.perMs;
export const msAt = (scale: Scale, x: number) => scale.from + x / Math.max(scale.perMs, 1e-9);

/** The frame on show at a time; the last one past the end. */
export function indexAt(scale: Scale, ms: number): number {
  let low = 0;
  let high = scale.ends.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((scale.ends[middle] ?? 0) > ms) high = middle;
    else low = middle + 1;
  }
  return Math.max(0, low);
}

/** The frames that can be seen: from the first to one past the last. */
export function visible(scale: Scale): [number, number] {
  if (scale.ends.length === 0) return [0, 0];
  return [indexAt(scale, scale.from), indexAt(scale, msAt(scale, scale.width)) + 1];
}

/** The strip zoomed about a place that stays where it is. */
export function zoomed(scale: Scale, zoom: number, by: number, x: number): { zoom: number; from: number } {
  const next = Math.min(MOST_ZOOM, Math.max(1, zoom * by));
  const perMs = scale.total > 0 ? (scale.width * next) / scale.total : 0;
  const from = perMs > 0 ? msAt(scale, x) - x / perMs : 0;
  return { zoom: next, from: next === 1 ? 0 : Math.max(0, from) };
}

/** Zoom about the playhead, or the middle when that is out of sight. */
export function zoomStrip(by: number | "fit"): void {
  if (by === "fit") {
    useZoom.setState({ zoom: 1, from: 0 });
    return;
  }
  const { zoom, from } = useZoom.getState();
  const { line, at } = usePlayhead.getState();
  const shown = line.total / zoom;
  const next = Math.min(MOST_ZOOM, Math.max(1, zoom * by));
  const share = at >= from && at <= from + shown ? (at - from) / shown : 0.5;
  const begin = from + shown * share - (line.total / next) * share;
  useZoom.setState({
    zoom: next,
    from: next === 1 ? 0 : Math.max(0, Math.min(begin, line.total - line.total / next)),
  });
}
