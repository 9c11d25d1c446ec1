// The part of the picture that outputs show: boxes in pixels of the frames, and the arithmetic of pulling them.

import { create } from "zustand";
import type { Output, Project, Recipe } from "../api/client";
import type { Bench } from "./edits";

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** What part of the picture is used: of all outputs, or of one. */
type Cropping = Pick<Recipe["framing"], "crop" | "drawn_on">;
type Sides = Pick<Project, "width" | "height">;

/** Whether the whole frames are on the stage, with the box that is cropped to. */
/** `byKey`: it was opened by a key, and has the focus. */
export const useCrop = create<{ open: boolean; byKey: boolean; ratio: Ratio; own: string }>(() => ({
  open: false,
  byKey: false,
  ratio: "free",
  own: "4:5",
}));

export const RATIOS = ["free", "source", "1:1", "4:3", "3:2", "2:3", "16:9", "9:16", "4:5", "custom"] as const;
export type Ratio = (typeof RATIOS)[number];

export const wholeOf = ({ width, height }: Sides): Box => ({ left: 0, top: 0, width, height });

export const croppingOf = (recipe: Recipe, output: Output): Cropping => output.framing ?? recipe.framing;

/** The crop on the frames as they are now, if there is one: of frames of another size it is the same part. */
export function cropOf(recipe: Recipe, output: Output, { width, height }: Sides): Box | null {
  const { crop, drawn_on } = croppingOf(recipe, output);
  if (!crop) return null;
  const [left, top, across, down] = crop;
  if (!drawn_on || (drawn_on[0] === width && drawn_on[1] === height))
    return { left, top, width: across, height: down };
  const from = [
    Math.min(inProportion(drawn_on[0], width, left, 0), width - 1),
    Math.min(inProportion(drawn_on[1], height, top, 0), height - 1),
  ] as const;
  return {
    left: from[0],
    top: from[1],
    width: Math.max(1, Math.min(inProportion(drawn_on[0], width, left + across), width) - from[0]),
    height: Math.max(1, Math.min(inProportion(drawn_on[1], height, top + down), height) - from[1]),
  };
}

/** `other` × `wanted` / `side` to the nearest whole number, halves up, exactly as the service rounds; at least `least`. */
export const inProportion = (side: number, other: number, wanted: number, least = 1) =>
  Math.max(least, Math.floor((2 * other * wanted + side) / (2 * side)));

/** Width over height of a ratio, or null where it is free. "custom" is typed as 4:5 or 1.91. */
export function valueOf(ratio: Ratio, own: string, { width, height }: Sides): number | null {
  if (ratio === "free") return null;
  if (ratio === "source") return width / height;
  const [over, under = "1"] = (ratio === "custom" ? own : ratio).split(":");
  const value = Number(over) / Number(under);
  return Number.isFinite(value) && value > 0 ? value : null;
}

/** A box brought inside the frames, in whole pixels, at least one across and down. */
export function inside(box: Box, sides: Sides): Box {
  const width = Math.max(1, Math.min(Math.round(box.width), sides.width));
  const height = Math.max(1, Math.min(Math.round(box.height), sides.height));
  const left = Math.max(0, Math.min(Math.round(box.left), sides.width - width));
  const top = Math.max(0, Math.min(Math.round(box.top), sides.height - height));
  return { left, top, width, height };
}

export type Handle = "n" | "e" | "s" | "w" | "ne" | "se" | "sw" | "nw" | "move";

/** The box after a handle was pulled by so many pixels; with a ratio the sides keep it. */
export function pulled(
  box: Box,
  handle: Handle,
  dx: number,
  dy: number,
  ratio: number | null,
  sides: Sides,
): Box {
  if (handle === "move") return inside({ ...box, left: box.left + dx, top: box.top + dy }, sides);
  let { left, top } = box;
  let right = left + box.width;
  let bottom = top + box.height;
  if (handle.includes("w")) left = Math.max(0, Math.min(left + dx, right - 1));
  if (handle.includes("e")) right = Math.min(sides.width, Math.max(right + dx, left + 1));
  if (handle.includes("n")) top = Math.max(0, Math.min(top + dy, bottom - 1));
  if (handle.includes("s")) bottom = Math.min(sides.height, Math.max(bottom + dy, top + 1));
  if (ratio === null) return inside({ left, top, width: right - left, height: bottom - top }, sides);
  // The side that was pulled leads; the other follows from the edge, or the middle, that stands still.
  const byHeight = handle === "n" || handle === "s";
  let width = byHeight ? (bottom - top) * ratio : right - left;
  const middle = { x: box.left + box.width / 2, y: box.top + box.height / 2 };
  const roomX = handle.includes("w")
    ? box.left + box.width
    : handle.includes("e")
      ? sides.width - box.left
      : 2 * Math.min(middle.x, sides.width - middle.x);
  const roomY = handle.includes("n")
    ? box.top + box.height
    : handle.includes("s")
      ? sides.height - box.top
      : 2 * Math.min(middle.y, sides.height - middle.y);
  width = Math.max(1, Math.min(width, roomX, roomY * ratio));
  const height = Math.max(1, width / ratio);
  return inside(
    {
      left: handle.includes("w")
        ? box.left + box.width - width
        : handle.includes("e")
          ? box.left
          : middle.x - width / 2,
      top: handle.includes("n")
        ? box.top + box.height - height
        : handle.includes("s")
          ? box.top
          : middle.y - height / 2,
      width,
      height,
    },
    sides,
  );
}

/** The largest box of a ratio around the middle of another, inside it. */
export function withRatio(box: Box, ratio: number | null, sides: Sides): Box {
  if (ratio === null) return box;
  const width = Math.min(box.width, box.height * ratio);
  const height = width / ratio;
  return inside(
    { left: box.left + (box.width - width) / 2, top: box.top + (box.height - height) / 2, width, height },
    sides,
  );
}

/** Crop the outputs, or the one on show if its framing is its own; a box of everything is none. */
export function setCrop(bench: Bench, box: Box | null, label: string, gesture = ""): void {
  const { project } = bench;
  const all = box === null || (box.width >= project.width && box.height >= project.height);
  const cropping: Cropping = all
    ? { crop: null, drawn_on: null }
    : { crop: [box.left, box.top, box.width, box.height], drawn_on: [project.width, project.height] };
  if (bench.output.framing !== null) bench.editOutput(label, (so) => ({ ...so, framing: cropping }), gesture);
  else bench.edit(label, (recipe) => ({ ...recipe, framing: { ...recipe.framing, ...cropping } }), gesture);
}

/** Give the output on show a crop of its own, or the one that all share. */
export function setOwnCrop(bench: Bench, own: boolean): void {
  const { crop, drawn_on } = bench.recipe.framing;
  bench.editOutput(own ? "A crop of its own" : "The crop of all outputs", (so) => ({
    ...so,
    framing: own ? { crop, drawn_on } : null,
  }));
}
