// Draws the strip's frames: pictures as wide as they are long, what each costs standing above.

import { thumbUrl } from "../../api/client";
import { startOf, visible, xOf, type Scale } from "./scale";

export const SKYLINE = 40;
export const TOP = 43;
export const HEIGHT = 96;
/** Below this many pixels frames share a picture. */
const ALONE = 6;
/** As wide as a picture is that stands for many. */
const SHARED = 48;
const MOST_KEPT = 800;

export interface Scene {
  scale: Scale;
  bytes: readonly number[];
  /** Bytes that reach up to the top of the skyline. */
  tall: number;
  /** What a frame usually costs. */
  usual: number;
  pictures: readonly string[];
  chosen: (index: number) => boolean;
  held: (index: number) => boolean;
}

const pictures = new Map<string, HTMLImageElement>();
const decoded = new Set<string>();

/** A small picture if it is there; otherwise it is fetched and `ready` called once it is. */
function small(sha256: string, ready: () => void): HTMLImageElement | undefined {
  let image = pictures.get(sha256);
  if (!image) {
    image = new Image();
    image.src = thumbUrl(sha256);
    pictures.set(sha256, image);
    // Decoded before it is drawn: drawing one that is not would hold the screen up.
    image
      .decode()
      .then(() => decoded.add(sha256))
      .catch(() => undefined)
      .finally(ready);
    const oldest = pictures.keys().next();
    if (pictures.size > MOST_KEPT && !oldest.done) {
      pictures.delete(oldest.value);
      decoded.delete(oldest.value);
    }
  }
  return decoded.has(sha256) ? image : undefined;
}

export function colours(element: Element): Record<string, string> {
  const style = getComputedStyle(element);
  return Object.fromEntries(
    ["jay", "jay-pale", "buff", "stage", "ink"].map((name) => [
      name,
      style.getPropertyValue(`--${name}`).trim(),
    ]),
  );
}

let striped: { colour: string; pattern: CanvasPattern } | undefined;

/** The pattern of frames that cost far more than others. */
function stripes(context: CanvasRenderingContext2D, colour: string): string | CanvasPattern {
  if (striped?.colour !== colour) {
    const tile = document.createElement("canvas");
    tile.width = 7;
    tile.height = 1;
    const inner = tile.getContext("2d");
    if (!inner) return colour;
    inner.fillStyle = colour;
    inner.fillRect(0, 0, 5, 1);
    inner.fillStyle = "#12253c";
    inner.fillRect(5, 0, 2, 1);
    const pattern = context.createPattern(tile, "repeat");
    if (!pattern) return colour;
    striped = { colour, pattern };
  }
  return striped.pattern;
}

/** Paint the frames that are visible; `again` is called when a picture has come that was missing. */
export function paintFrames(
  context: CanvasRenderingContext2D,
  scene: Scene,
  colour: Record<string, string>,
  again: () => void,
): void {
  const { scale } = scene;
  context.clearRect(0, 0, scale.width, HEIGHT);
  const [from, to] = visible(scale);
  let shared = -Infinity; // where the last picture that stands for many ends
  for (let index = from; index < to; index += 1) {
    const left = xOf(scale, startOf(scale, index));
    const right = xOf(scale, scale.ends[index] ?? 0);
    const width = Math.max(right - left - (right - left > 5 ? 1 : 0), 0.5);
    bar(context, scene, colour, index, left, width, false);
    context.fillStyle = colour.stage ?? "";
    const own = scene.pictures[index];
    if (width > ALONE) {
      context.save();
      context.beginPath();
      context.roundRect(left, TOP, width, HEIGHT - TOP, 4);
      context.clip();
      context.fillRect(left, TOP, width, HEIGHT - TOP);
      const image = own ? small(own, again) : undefined;
      if (image) cover(context, image, left, width);
      context.restore();
    } else if (left >= shared) {
      const span = Math.min(SHARED, scale.width - left);
      context.fillRect(left, TOP, span, HEIGHT - TOP);
      const image = own ? small(own, again) : undefined;
      if (image) cover(context, image, left, span);
      shared = left + SHARED;
    }
  }
}

/** What stands over the frames: which are chosen, which held, their numbers. */
export function paintMarks(
  context: CanvasRenderingContext2D,
  scene: Scene,
  colour: Record<string, string>,
): void {
  const { scale } = scene;
  const [from, to] = visible(scale);
  for (let index = from; index < to; index += 1) {
    const chosen = scene.chosen(index);
    const held = scene.held(index);
    if (!chosen && !held) continue;
    const left = xOf(scale, startOf(scale, index));
    const width = xOf(scale, scale.ends[index] ?? 0) - left;
    if (chosen) {
      bar(context, scene, colour, index, left, Math.max(width - (width > 5 ? 1 : 0), 0.5), true);
      context.fillStyle = colour.jay ?? "";
      context.globalAlpha = 0.3;
      context.fillRect(left, TOP, width, HEIGHT - TOP);
      context.globalAlpha = 1;
      if (width > 5) {
        context.strokeStyle = colour.jay ?? "";
        context.lineWidth = 2;
        context.strokeRect(left + 1, TOP + 1, Math.max(width - 3, 1), HEIGHT - TOP - 2);
      } else context.fillRect(left, HEIGHT - 3, Math.max(width, 1), 3);
    }
    if (held) {
      context.fillStyle = colour.buff ?? "";
      context.fillRect(left, TOP, Math.max(width - 1, 1), 3);
    }
  }
  numbers(context, scale, from, to);
}

/** What a frame costs, standing above it. */
function bar(
  context: CanvasRenderingContext2D,
  scene: Scene,
  colour: Record<string, string>,
  index: number,
  left: number,
  width: number,
  chosen: boolean,
): void {
  const cost = scene.bytes[index] ?? 0;
  const tall = Math.max(2, Math.min(1, cost / scene.tall) * SKYLINE);
  context.fillStyle =
    cost > scene.usual * 2 ? stripes(context, colour.jay ?? "") : (colour[chosen ? "jay" : "jay-pale"] ?? "");
  context.fillRect(left, SKYLINE - tall, width, tall);
}

function cover(context: CanvasRenderingContext2D, image: HTMLImageElement, left: number, width: number): void {
  const height = HEIGHT - TOP;
  const scale = Math.max(width / image.naturalWidth, height / image.naturalHeight);
  const [across, down] = [width / scale, height / scale];
  context.drawImage(
    image,
    (image.naturalWidth - across) / 2,
    (image.naturalHeight - down) / 2,
    across,
    down,
    left,
    TOP,
    width,
    height,
  );
}

/** Frame numbers, as many as there is room for, always the same ones at the same scale. */
function numbers(context: CanvasRenderingContext2D, scale: Scale, from: number, to: number): void {
  const usual = (scale.total * scale.perMs) / Math.max(scale.ends.length, 1);
  const steps = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000];
  const every = steps.find((step) => step * usual >= 30) ?? 10_000;
  context.font = "10.5px 'Red Hat Mono Variable', monospace";
  context.textBaseline = "middle";
  for (let index = Math.ceil(from / every) * every; index < to; index += every) {
    const left = xOf(scale, startOf(scale, index));
    const text = String(index + 1);
    const width = context.measureText(text).width + 6;
    if (left + width > scale.width || left < -2) continue;
    context.fillStyle = "rgb(28 37 48 / 0.78)";
    context.beginPath();
    context.roundRect(left + 2, HEIGHT - 16, width, 14, 3);
    context.fill();
    context.fillStyle = "#fff";
    context.fillText(text, left + 5, HEIGHT - 8.5);
  }
}
