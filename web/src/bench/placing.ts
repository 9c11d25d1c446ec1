// Where the picture lies on a canvas of another shape.

import type { Output } from "../api/client";
import type { Box } from "./crop";

type Size = Output["size"];

/** Whether a picture can lie elsewhere on its canvas: both sides are given, and it does not fill them by itself. */
export const canBePlaced = (size: Size) =>
  size.width !== null && size.height !== null && ["contain", "cover", "place"].includes(size.fit);

/** Where a picture of these sides lies, in pixels of the canvas; null where it fills it by itself. */
export function placed(size: Size, width: number, height: number): Box | null {
  if (size.width === null || size.height === null || !canBePlaced(size)) return null;
  const wide = width * size.height > height * size.width;
  const byWidth = wide === (size.fit === "contain");
  const [across, down] =
    size.fit === "place"
      ? [width, height]
      : byWidth
        ? [size.width, Math.max(1, Math.round((height * size.width) / width))]
        : [Math.max(1, Math.round((width * size.height) / height)), size.height];
  const free = [size.width - across, size.height - down] as const;
  const { at } = size;
  if (typeof at !== "string") return { left: at[0], top: at[1], width: across, height: down };
  const left = at.includes("left") ? 0 : at.includes("right") ? free[0] : Math.floor(free[0] / 2);
  const top = at.includes("top") ? 0 : at.includes("bottom") ? free[1] : Math.floor(free[1] / 2);
  return { left, top, width: across, height: down };
}
