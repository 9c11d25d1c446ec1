// Draws the strip's frames: pictures as wide as they are long, what each costs standing above.

import { fetched } from "../images";
import type { Print } from "../prints";
import { indexAt, msAt, startOf, visible, xOf, type Scale } from "./scale";

export const SKYLINE = 40;
export const TOP = 43;
export const HEIGHT = 96;
export const RULER = 20;
/** Between two marks of the ruler, in ms. */
const STEPS = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 30000, 60000, 300000];
/** Frames narrower than this share of their picture are not each given a sliver of it: whole ones are shown. */
const ALONE = 0.55;
/** From so many pixels on the frames below whole pictures are told apart by a line. */
const RULED = 4;
/** From this many on they have round corners, which take long to draw. */
const ROUNDED = 20;
/** Up to so many frames are drawn of pictures of their own, more of kept. */
const FEW = 72;

export interface Scene {
  scale: Scale;
  bytes: readonly number[];
  /** Bytes that reach up to the top of the skyline. */
  tall: number;
  /** What a frame usually costs. */
  usual: number;
  /** Of each frame, on a sheet with its neighbours or by itself. */
  picture: (index: number, together: boolean) => Print | undefined;
  chosen: (index: number) => boolean;
  held: (index: number) => boolean;
}

export function colours(element: Element): Record<string, string> {
  const style = getComputedStyle(element);
  return Object.fromEntries(
    ["jay", "jay-pale", "buff", "stage", "ink", "ink-2", "ink-3"].map((name) => [
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
  skyline(context, scene, colour, from, to, colour["jay-pale"] ?? "");
  const usual = (scale.total * scale.perMs) / Math.max(scale.ends.length, 1);
  const whole = wholeWidth(scene.picture(from, false));
  if (usual < whole * ALONE) {
    filmstrip(context, scene, whole, colour.stage ?? "", again);
    if (usual >= RULED) for (let index = from; index < to; index += 1) edge(context, scale, index);
    return;
  }
  const together = to - from > FEW;
  for (let index = from; index < to; index += 1) {
    const left = xOf(scale, startOf(scale, index));
    const right = xOf(scale, scale.ends[index] ?? 0);
    const width = Math.max(right - left - (right - left > 5 ? 1 : 0), 0.5);
    context.fillStyle = colour.stage ?? "";
    const round = width >= ROUNDED;
    if (round) {
      context.save();
      context.beginPath();
      context.roundRect(left, TOP, width, HEIGHT - TOP, 4);
      context.clip();
    }
    context.fillRect(left, TOP, width, HEIGHT - TOP);
    picture(context, scene.picture(index, together), left, width, again);
    if (round) context.restore();
  }
}

/** Whole pictures side by side, each of the frame on show where it begins: for frames too narrow for their own. */
function filmstrip(
  context: CanvasRenderingContext2D,
  scene: Scene,
  whole: number,
  ground: string,
  again: () => void,
): void {
  const { scale } = scene;
  const before = scale.from * scale.perMs; // the grid stays where it is while the strip is moved
  const end = Math.min(scale.width, xOf(scale, scale.total));
  for (let slot = Math.floor(before / whole); slot * whole - before < end; slot += 1) {
    const left = slot * whole - before;
    const width = Math.min(whole, end - left);
    context.save();
    context.beginPath();
    context.rect(left, TOP, width - 1, HEIGHT - TOP);
    context.clip();
    context.fillStyle = ground;
    context.fillRect(left, TOP, whole, HEIGHT - TOP);
    picture(context, scene.picture(indexAt(scale, (slot * whole) / scale.perMs), false), left, whole, again);
    context.restore();
  }
}

/** Where a frame begins, over a picture that stands for several. */
function edge(context: CanvasRenderingContext2D, scale: Scale, index: number): void {
  if (index === 0) return;
  context.fillStyle = "rgb(255 255 255 / 0.4)";
  context.fillRect(Math.round(xOf(scale, startOf(scale, index))) - 1, TOP, 1, HEIGHT - TOP);
}

/** How wide a picture is on the strip when all of it is shown. */
function wholeWidth(print: Print | undefined): number {
  return print ? ((HEIGHT - TOP) * print.width) / print.height : HEIGHT - TOP;
}

/** What stands over the frames: which are chosen, which held, their numbers. */
export function paintMarks(
  context: CanvasRenderingContext2D,
  scene: Scene,
  colour: Record<string, string>,
): void {
  const { scale } = scene;
  const [from, to] = visible(scale);
  const jay = colour.jay ?? "";
  const sides = (first: number, last: number): [number, number] => {
    const left = xOf(scale, startOf(scale, first));
    return [left, xOf(scale, scale.ends[last] ?? 0) - left];
  };
  for (const [first, last] of together(from, to, scene.chosen)) {
    skyline(context, scene, colour, first, last + 1, jay);
    const [left, width] = sides(first, last);
    context.fillStyle = jay;
    context.globalAlpha = 0.3;
    context.fillRect(left, TOP, width, HEIGHT - TOP);
    context.globalAlpha = 1;
    if (width / (last - first + 1) > 5) {
      context.strokeStyle = jay;
      context.lineWidth = 2;
      for (let index = first; index <= last; index += 1) {
        const [one, across] = sides(index, index);
        context.strokeRect(one + 1, TOP + 1, Math.max(across - 3, 1), HEIGHT - TOP - 2);
      }
    } else context.fillRect(left, HEIGHT - 3, Math.max(width, 1), 3);
  }
  context.fillStyle = colour.buff ?? "";
  for (const [first, last] of together(from, to, scene.held)) {
    const [left, width] = sides(first, last);
    context.fillRect(left, TOP, Math.max(width - 1, 1), 3);
  }
  numbers(context, scale, from, to);
}

/** The runs of frames of which something holds: the first and the last of each. */
function* together(from: number, to: number, holds: (index: number) => boolean): Generator<[number, number]> {
  let first = -1;
  for (let index = from; index <= to; index += 1) {
    const is = index < to && holds(index);
    if (is && first < 0) first = index;
    if (!is && first >= 0) {
      yield [first, index - 1];
      first = -1;
    }
  }
}

/** What frames cost, standing above them; of several over one pixel the dearest. */
function skyline(
  context: CanvasRenderingContext2D,
  scene: Scene,
  colour: Record<string, string>,
  from: number,
  to: number,
  plain: string,
): void {
  const { scale } = scene;
  const striped = stripes(context, colour.jay ?? "");
  let fill: string | CanvasPattern = "";
  const bar = (left: number, width: number, cost: number) => {
    const wanted = cost > scene.usual * 2 ? striped : plain;
    if (wanted !== fill) context.fillStyle = fill = wanted;
    const tall = Math.max(2, Math.min(1, cost / scene.tall) * SKYLINE);
    context.fillRect(left, SKYLINE - tall, width, tall);
  };
  let [column, dearest] = [-1, 0];
  for (let index = from; index < to; index += 1) {
    const left = xOf(scale, startOf(scale, index));
    const width = xOf(scale, scale.ends[index] ?? 0) - left;
    const cost = scene.bytes[index] ?? 0;
    if (width >= 1) {
      bar(left, width > 5 ? width - 1 : width, cost);
      continue;
    }
    const here = Math.floor(left);
    if (here !== column && column >= 0) {
      bar(column, 1, dearest);
      dearest = 0;
    }
    [column, dearest] = [here, Math.max(dearest, cost)];
  }
  if (column >= 0) bar(column, 1, dearest);
}

/** A picture that covers its place, if there is one and it has come. */
function picture(
  context: CanvasRenderingContext2D,
  print: Print | undefined,
  left: number,
  width: number,
  again: () => void,
): void {
  const image = print && fetched(print.url, again);
  if (!image) return;
  const height = HEIGHT - TOP;
  const scale = Math.max(width / print.width, height / print.height);
  const [across, down] = [width / scale, height / scale];
  context.drawImage(
    image,
    print.left + (print.width - across) / 2,
    print.top + (print.height - down) / 2,
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

/** Time in seconds: a mark where there is room for one, a figure where there is room for that. */
export function paintRuler(
  context: CanvasRenderingContext2D,
  scale: Scale,
  colour: Record<string, string>,
): void {
  const { perMs, width } = scale;
  context.clearRect(0, 0, width, RULER);
  if (perMs <= 0) return;
  const label = STEPS.find((one) => one * perMs >= 90) ?? 3_600_000;
  const fine = STEPS.find((one) => one * perMs >= 9 && label % one === 0) ?? label;
  const places = label % 1000 === 0 ? 0 : label % 100 === 0 ? 1 : 2;
  const end = Math.min(scale.total, msAt(scale, width));
  context.font = "11px 'Red Hat Mono Variable', monospace";
  context.textBaseline = "middle";
  for (let at = Math.ceil(scale.from / fine) * fine; at <= end; at += fine) {
    const x = Math.round(xOf(scale, at));
    const long = at % label === 0;
    context.fillStyle = colour["ink-3"] ?? "";
    context.globalAlpha = long ? 1 : 0.6;
    context.fillRect(x, 3, 1, long ? 7 : 4);
    context.globalAlpha = 1;
    if (!long || x >= width - 30) continue;
    context.fillStyle = colour["ink-2"] ?? "";
    context.fillText(`${(at / 1000).toFixed(places)} s`, x + 4, 13);
  }
}
