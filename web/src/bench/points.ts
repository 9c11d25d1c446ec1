// The nine points of an area that something may lie at.

import type { Output } from "../api/client";

export type Point = Extract<Output["size"]["at"], string>;

export const POINTS: readonly Point[] = [
  ...(["top-left", "top", "top-right"] as const),
  ...(["left", "centre", "right"] as const),
  ...(["bottom-left", "bottom", "bottom-right"] as const),
];

/** Left and top of a box of some sides at a point of an area: `[left, top, width, height]`. */
export function atPoint(
  point: Point,
  [left, top, across, down]: readonly [number, number, number, number],
  width: number,
  height: number,
): [number, number] {
  const free = [across - width, down - height] as const;
  const x = point.includes("left") ? 0 : point.includes("right") ? free[0] : Math.floor(free[0] / 2);
  const y = point.includes("top") ? 0 : point.includes("bottom") ? free[1] : Math.floor(free[1] / 2);
  return [left + x, top + y];
}
