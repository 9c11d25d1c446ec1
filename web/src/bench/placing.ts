// Where the picture lies on a canvas of another shape, and how large.

import type { Output } from "../api/client";
import { inProportion, type Box } from "./crop";
import { atPoint } from "./points";

type Size = Output["size"];
export type Corner = "nw" | "ne" | "sw" | "se";

/** Whether a picture can lie elsewhere on its canvas: both sides are given, and it is not distorted to them. */
export const canBePlaced = (size: Size) =>
  size.width !== null && size.height !== null && ["contain", "cover", "scale-down", "place"].includes(size.fit);

/** The sides that an output of a picture gets, as far as they are known: with one given the other follows. */
export function canvasOf(size: Size, width: number, height: number): [number, number] {
  if (size.fit === "inside") {
    const scale = Math.min(1, (size.width ?? width) / width, (size.height ?? height) / height);
    return [Math.max(1, Math.round(width * scale)), Math.max(1, Math.round(height * scale))];
  }
  if (size.width !== null) return [size.width, size.height ?? inProportion(width, height, size.width)];
  if (size.height !== null) return [inProportion(height, width, size.height), size.height];
  return [width, height];
}

/** Where a picture of these sides lies, in pixels of the canvas; null where it fills it by itself. */
export function placed(size: Size, width: number, height: number): Box | null {
  if (size.width === null || size.height === null || !canBePlaced(size)) return null;
  const wide = width * size.height > height * size.width;
  const byWidth = wide === (size.fit !== "cover");
  const own = size.fit === "scale-down" && width <= size.width && height <= size.height;
  const [across, down] =
    size.fit === "place" || own
      ? onCanvas(own ? null : size.picture, width, height)
      : byWidth
        ? [size.width, inProportion(width, height, size.width)]
        : [inProportion(height, width, size.height), size.height];
  const { at } = size;
  const [left, top] = typeof at === "string" ? atPoint(at, [0, 0, size.width, size.height], across, down) : at;
  return { left, top, width: across, height: down };
}

/** How large a picture of these sides lies on its canvas. */
function onCanvas(wanted: Size["picture"], width: number, height: number): [number, number] {
  if (!wanted) return [width, height];
  if (wanted.percent !== null) {
    const thousandths = Math.round(wanted.percent * 1000);
    return [inProportion(100_000, width, thousandths), inProportion(100_000, height, thousandths)];
  }
  if (wanted.width === null) {
    const down = wanted.height ?? height;
    return [inProportion(height, width, down), down];
  }
  return [wanted.width, wanted.height ?? inProportion(width, height, wanted.width)];
}

/** The size that leaves a picture lying in a box on its canvas; `free`: its proportions may be others. */
export function lyingIn(size: Size, box: Box, free: boolean): Size {
  const height = free ? box.height : null;
  return {
    ...size,
    fit: "place",
    at: [box.left, box.top],
    picture: { percent: null, width: box.width, height },
  };
}

const MOST = 4096;

/**
 * A picture's box after one of its corners was pulled by so many pixels; the corner across stays. Proportions are those
 * of `ratio`, width over height, or free.
 */
export function cornerPulled(box: Box, corner: Corner, dx: number, dy: number, ratio: number | null): Box {
  const bounded = (side: number) => Math.min(MOST, Math.max(1, Math.round(side)));
  const wide = box.width + (corner.includes("e") ? dx : -dx);
  const high = box.height + (corner.includes("s") ? dy : -dy);
  let [width, height] = [bounded(wide), bounded(high)];
  if (ratio !== null) {
    // The side that was pulled further counts.
    width = bounded(Math.max(wide, high * ratio));
    height = Math.max(1, Math.round(width / ratio));
  }
  return {
    left: corner.includes("e") ? box.left : box.left + box.width - width,
    top: corner.includes("s") ? box.top : box.top + box.height - height,
    width,
    height,
  };
}

/** A picture's box so many pixels wider, its middle where it was. */
export function widened(box: Box, by: number, ratio: number): Box {
  const width = Math.min(MOST, Math.max(1, box.width + by));
  const height = Math.max(1, Math.round(width / ratio));
  return {
    left: box.left + Math.round((box.width - width) / 2),
    top: box.top + Math.round((box.height - height) / 2),
    width,
    height,
  };
}
