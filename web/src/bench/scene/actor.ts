// What moves in the scene: frames from an exported sheet and its description, or from a set of pictures.

import { oneFileUrl, playedFrameUrl, type Output, type ResultInfo } from "../../api/client";
import { drawFrame, loadSheet, type SheetSpan } from "../../player/sheet";

export interface Actor {
  count: number;
  width: number;
  height: number;
  spans: SheetSpan[];
  /** How long a frame is shown, in ms. */
  lasts: (index: number) => number;
  /** Its pivot, as shares of the canvas. */
  anchor: (index: number) => readonly [number, number];
  draw: (context: OffscreenCanvasRenderingContext2D, index: number) => void;
  close: () => void;
}

/** Only what was exported is read; frames of a set, which may be of any kind, come decoded from their files. */
export async function loadActor(result: ResultInfo, output: Output): Promise<Actor> {
  if (output.format === "sheet") {
    const sheet = await loadSheet((number) => oneFileUrl(result, number), result.info.sheets?.length ?? 1);
    const { frames, spans } = sheet.document;
    return {
      count: frames.length,
      width: frames[0]?.canvas_width ?? 1,
      height: frames[0]?.canvas_height ?? 1,
      spans,
      lasts: (index) => frames[index]?.duration_ms ?? 0,
      anchor: (index) => [frames[index]?.anchor_x ?? 0.5, frames[index]?.anchor_y ?? 0.5],
      draw: (context, index) => drawFrame(context, sheet, index),
      close: () => sheet.images.forEach((image) => image.close()),
    };
  }
  const images = await Promise.all(
    result.at.map(async (number) => {
      const answer = await fetch(playedFrameUrl(result, number));
      if (!answer.ok) throw new Error("a frame could not be fetched");
      return createImageBitmap(await answer.blob());
    }),
  );
  return {
    count: images.length,
    width: result.info.width,
    height: result.info.height,
    spans: [],
    lasts: (index) => result.delays[index] ?? 0,
    anchor: () => [0.5, 0.5],
    draw: (context, index) => {
      const image = images[index];
      if (image) context.drawImage(image, 0, 0);
    },
    close: () => images.forEach((image) => image.close()),
  };
}

export const DIRECTIONS = ["N", "NE", "E", "SE", "S", "SW", "W", "NW"] as const;
export type Direction = (typeof DIRECTIONS)[number];

/** The spans of one motion, one for each direction that it has. */
export interface Motion {
  name: string;
  by: Partial<Record<Direction, SheetSpan>>;
}

/** Spans whose names have a point of the compass, put together by what is left of their names. */
export function motionsOf(spans: readonly SheetSpan[]): Motion[] {
  const motions = new Map<string, Motion>();
  for (const span of spans) {
    const words = span.name.split(/[\s_.\-/]+/);
    const direction = DIRECTIONS.find((one) => words.some((word) => word.toUpperCase() === one));
    if (!direction) continue;
    const name = words.filter((word) => word.toUpperCase() !== direction).join(" ");
    const motion = motions.get(name) ?? { name, by: {} };
    motion.by[direction] ??= span;
    motions.set(name, motion);
  }
  return [...motions.values()];
}

/** Where keys held down lead; null where they cancel each other out. */
export function heading(held: ReadonlySet<string>): Direction | null {
  const across = Number(held.has("ArrowRight")) - Number(held.has("ArrowLeft"));
  const down = Number(held.has("ArrowDown")) - Number(held.has("ArrowUp"));
  const names: Record<string, Direction> = {
    "0,-1": "N",
    "1,-1": "NE",
    "1,0": "E",
    "1,1": "SE",
    "0,1": "S",
    "-1,1": "SW",
    "-1,0": "W",
    "-1,-1": "NW",
  };
  return names[`${across},${down}`] ?? null;
}

export interface Run {
  first: number;
  last: number;
}

/**
 * The frame due so many ms after a run began. `every`: the time of each frame, instead of its own. Played once it
 * rests on its last frame.
 */
export function frameDue(
  actor: Pick<Actor, "lasts">,
  { first, last }: Run,
  ms: number,
  every: number | null,
  once: boolean,
): number {
  const times = Array.from({ length: last - first + 1 }, (_, at) => every ?? actor.lasts(first + at));
  const total = times.reduce((sum, time) => sum + time, 0);
  if (total <= 0 || (once && ms >= total)) return last;
  let left = ms % total;
  for (const [at, time] of times.entries()) {
    if (left < time) return first + at;
    left -= time;
  }
  return last;
}
