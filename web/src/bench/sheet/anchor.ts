// Anchor points: of all frames, of a span, or of one frame.

import type { Of } from "../formats/format";

export type Sheet = Of<"sheet">;
type Point = readonly [number, number];

/** The span that a place lies in, as sheets tell it: the first of those that hold it. */
export const spanOf = (spans: readonly { name: string; first: number; last: number }[], place: number) =>
  spans.find((span) => span.first <= place && place <= span.last)?.name ?? null;

/** The anchor of a frame: its own, its span's, or that of all. */
export function anchorOf(output: Sheet, position: number, span: string | null): Point {
  const own = output.anchors.find((one) => one.frames.includes(position));
  const ofSpan = output.anchors.find((one) => span !== null && one.span === span);
  return (own ?? ofSpan)?.at ?? output.anchor;
}

/** The output with another anchor for all, for a span or for a frame. */
export function withAnchor(
  output: Sheet,
  of: "all" | "span" | "frame",
  position: number,
  span: string | null,
  at: [number, number],
): Sheet {
  if (of === "frame") {
    const others = output.anchors
      .map((one) => ({ ...one, frames: one.frames.filter((frame) => frame !== position) }))
      .filter((one) => one.span !== null || one.frames.length > 0);
    return { ...output, anchors: [...others, { span: null, frames: [position], at }] };
  }
  if (of === "span" && span !== null) {
    const others = output.anchors.filter((one) => one.span !== span);
    return { ...output, anchors: [...others, { span, frames: [], at }] };
  }
  return { ...output, anchor: at };
}
