// The files that leave a project: which one is looked at, and how they are added, copied, ordered and taken away.

import { useCallback } from "react";
import { useSearchParams } from "react-router";
import type { Output, Recipe, Target } from "../api/client";
import { times } from "../format";
import type { Bench } from "./edits";
import type { Format } from "./formats/format";
import { viewOf } from "./formats/table";
import { pageColour } from "./framing";

export const MOST_OUTPUTS = 20;
const PARAMETER = "output";

/** The output that the address names, and a way to another. */
export function useChosenOutput(): [string | null, (id: string) => void] {
  const [search, setSearch] = useSearchParams();
  const choose = useCallback(
    (id: string) =>
      setSearch(
        (now) => {
          now.set(PARAMETER, id);
          return now;
        },
        // At once, not as a transition: a key pressed next counts from the output chosen last.
        { replace: true, flushSync: true },
      ),
    [setSearch],
  );
  return [search.get(PARAMETER), choose];
}

/** What can be added, as it is offered. */
export interface Blank {
  format: Format;
  title: string;
  about: string;
  settings: Record<string, unknown>;
}

export const BLANKS: readonly Blank[] = [
  { format: "gif", title: "GIF", about: "256 colours, plays anywhere", settings: {} },
  { format: "apng", title: "APNG", about: "every colour, soft alpha, no loss", settings: {} },
  { format: "webp", title: "WebP", about: "soft alpha, few bytes", settings: {} },
  { format: "avif", title: "AVIF", about: "fewest bytes, slow to make", settings: {} },
  { format: "video", title: "MP4", about: "silent clip, no alpha", settings: { codec: "h264" } },
  { format: "video", title: "WebM", about: "silent clip, soft alpha", settings: { codec: "vp9" } },
  { format: "video", title: "MOV", about: "ProRes 4444 with alpha", settings: { codec: "prores" } },
  {
    format: "frames",
    title: "PNG frames",
    about: "numbered set, straight alpha",
    settings: { picture: "png" },
  },
  { format: "frames", title: "TGA frames", about: "numbered set, 32 bits", settings: { picture: "tga" } },
  {
    format: "sheet",
    title: "Sheet",
    about: "all frames on one picture",
    settings: { picture: "png", over: null },
  },
  { format: "still", title: "Still", about: "one frame: poster, thumbnail", settings: { picture: "png" } },
];

/** Settings of each format as the service would set them, where a document leaves them out. */
export const DEFAULTS: Record<Format, Record<string, unknown>> = {
  gif: {
    alpha: { edges: "cutoff", cutoff: 128, matte: "#ffffff" },
    tuning: {
      colours: 128,
      palette: "shared",
      dither: "auto",
      amount: 60,
      matrix: 8,
      sparing: false,
      tolerance: 0,
      loss: 0,
      locked: [],
    },
  },
  apng: { over: null, effort: 6 },
  webp: { over: null, lossless: false, quality: 80, alpha_quality: 100, effort: 4 },
  avif: { over: null, quality: 70, speed: 6 },
  video: { codec: "h264", over: null, quality: 75, most_bytes: null, plays: 1, length: null },
  frames: {
    picture: "png",
    pixels: "rgba",
    over: null,
    rle: false,
    quality: 92,
    names: "frame_####",
    first_number: 1,
    held: "once",
    cut: null,
    backing: null,
    place: null,
  },
  still: { picture: "png", over: null, quality: 88, frame: 1 },
  sheet: {
    picture: "png",
    over: null,
    layout: "even",
    cell: "canvas",
    columns: "square",
    rows: "wrap",
    row_order: [],
    turn: false,
    margin: 0,
    spacing: 0,
    extrude: 0,
    bleed: false,
    sides: "free",
    widest: 2048,
    split: false,
    pixels: "8888",
    dither: "none",
    mip_levels: false,
    smallest: false,
    names: "{name}",
    anchor: [0.5, 0.5],
    anchors: [],
    csv: false,
    css: false,
  },
};

/** A name for another output: the one that is wanted, with a number if it is taken. */
function freeName(wanted: string, outputs: readonly Output[]): string {
  const taken = new Set(outputs.map((one) => one.name));
  if (!taken.has(wanted)) return wanted;
  for (let number = 2; ; number += 1) if (!taken.has(`${wanted} ${number}`)) return `${wanted} ${number}`;
}

function freeId(wanted: string, outputs: readonly Output[]): string {
  const stem =
    wanted
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-|-$/g, "")
      .slice(0, 30) || "output";
  const taken = new Set(outputs.map((one) => one.id));
  if (!taken.has(stem)) return stem;
  for (let number = 2; ; number += 1) if (!taken.has(`${stem}-${number}`)) return `${stem}-${number}`;
}

/** A file name that no other output has. */
function freeFile(stem: string, ending: string, outputs: readonly Output[]): string {
  const taken = new Set(outputs.map((one) => one.file_name.toLowerCase()));
  for (let number = 1; ; number += 1) {
    const name = `${stem}${number > 1 ? `-${number}` : ""}${ending}`;
    if (!taken.has(name.toLowerCase())) return name;
  }
}

/** Another output, with the size, range and page colour of the first; a set for the next program is as large as its frames. */
export function added(bench: Bench, blank: Blank, target: Target | null): Output {
  const outputs = bench.recipe.outputs;
  const from = outputs[0] ?? bench.output;
  const whole = ["frames", "sheet"].includes(blank.format) || blank.settings.codec === "prores";
  const name = freeName(target?.title ?? blank.title, outputs);
  const page = pageColour(from);
  // A soft edge settled for one bit of alpha can stay soft elsewhere.
  const over = whole ? null : from.format === "gif" ? (from.alpha.edges === "fill" ? page : null) : from.over;
  const alike = from.format === blank.format ? from : {};
  // Where motions are named each has a row of its own.
  const named =
    blank.format === "sheet" && bench.recipe.rhythm.spans.length > 0 && from.take.spans.length === 0;
  const rows = named ? { rows: "spans", columns: "longest" } : {};
  const settings = { ...DEFAULTS[blank.format], ...rows, ...alike, ...blank.settings };
  let output = {
    ...settings,
    format: blank.format,
    id: freeId(name, outputs),
    name,
    file_name: "",
    take: { ...from.take, length: null, repeat: null },
    framing: from.framing,
    size: whole ? { ...from.size, width: null, height: null } : from.size,
    target: null,
  } as unknown as Output;
  if (output.format === "gif") {
    if (from.format !== "gif" && from.over !== null)
      output = { ...output, alpha: { ...output.alpha, edges: "matte", matte: from.over } };
  } else {
    // What has no alpha is laid over the page.
    const needed = viewOf(output).alpha(output) === "none" ? page : null;
    output = { ...output, over: over ?? needed };
  }
  const stem = bench.recipe.outputs[0]?.file_name.replace(/\.[^.]*$/, "") ?? "loop";
  output = { ...output, file_name: freeFile(stem, viewOf(output).ending(output), outputs) };
  return target ? aimed(output, target, bench.recipe.rhythm) : output;
}

/** Whether nobody has said how fast the frames play: the rate is the one that every project begins with. */
export function isUntimed({ rate, delay, holds, speed, length, spans }: Recipe["rhythm"]): boolean {
  const set = delay !== null || length !== null || speed !== "100" || Object.keys(holds).length > 0;
  return rate === "24" && !set && spans.every((span) => span.rate === null);
}

/**
 * The output set as a target wishes; what that leaves open stays. At a rate that the target fixes frames of which
 * nobody has said how fast they play go one by one.
 */
export function aimed(output: Output, target: Target, rhythm: Recipe["rhythm"]): Output {
  const { preset } = target;
  const keep = isUntimed(rhythm) && output.take.length === null ? ("frames" as const) : ("time" as const);
  const size =
    preset.width !== null || preset.height !== null
      ? { ...output.size, width: preset.width, height: preset.height }
      : output.size;
  const aim = {
    ...output,
    target,
    size: preset.fit ? { ...size, fit: preset.fit } : size,
    take: {
      ...output.take,
      ...(preset.rate ? { rate: preset.rate, keep } : {}),
      ...(preset.repeat !== null ? { repeat: preset.repeat } : {}),
    },
  };
  // Frames have no time of their own: at a rate that is fixed, one that lasts longer comes again.
  if (aim.format === "frames" && preset.rate) return { ...aim, held: "repeated" };
  const longest = target.figures.longest_side?.stop?.most;
  if (aim.format === "sheet" && longest) return { ...aim, widest: longest };
  if (preset.over_page && aim.format === "gif" && ["cutoff", "dither"].includes(aim.alpha.edges))
    return { ...aim, alpha: { ...aim.alpha, edges: "matte" } };
  return aim;
}

/** What setting an output up for its target would change, in words; nothing if it is set up so. */
export function setUp(output: Output, rhythm: Recipe["rhythm"]): { output: Output; words: string[] } | null {
  if (!output.target) return null;
  const next = aimed(output, output.target, rhythm);
  if (JSON.stringify(next) === JSON.stringify(output)) return null;
  const words: string[] = [];
  const { width, height } = next.size;
  if (width !== output.size.width || height !== output.size.height)
    words.push(`${width ?? "any"} × ${height ?? "any"}`);
  if (next.size.fit !== output.size.fit) words.push(`fit: ${next.size.fit}`);
  if (next.take.rate !== output.take.rate || next.take.keep !== output.take.keep)
    words.push(
      `${next.take.rate ?? ""} fps, ${next.take.keep === "frames" ? "one by one" : "in the same time"}`,
    );
  if (next.take.repeat !== null && next.take.repeat !== output.take.repeat)
    words.push(`plays ${times(next.take.repeat)}`);
  if (next.format === "frames" && output.format === "frames" && next.held !== output.held)
    words.push("held frames repeated");
  if (next.format === "sheet" && output.format === "sheet" && next.widest !== output.widest)
    words.push(`at most ${next.widest} px wide`);
  if (next.format === "gif" && output.format === "gif" && next.alpha.edges !== output.alpha.edges)
    words.push("edges over the page colour");
  return { output: next, words };
}

/** The formats that a target takes, as they are added; its own comes first. */
export function blanksFor(target: Target): readonly Blank[] {
  if (target.formats.length === 0) return BLANKS;
  return target.formats.flatMap((kind) => BLANKS.filter((blank) => kindOf(blank) === kind));
}

function kindOf(blank: Blank): Target["formats"][number] {
  if (blank.format === "frames") return blank.settings.picture === "tga" ? "tga-frames" : "png-frames";
  if (blank.format === "video")
    return ({ h264: "mp4", vp9: "webm", prores: "mov" } as const)[blank.settings.codec as "h264"];
  return blank.format;
}

/** A target without a limit, to begin with. */
export const OPEN_TARGET: Target = {
  name: "",
  title: "",
  about: "",
  formats: [],
  sizes: [],
  figures: {},
  alpha: "any",
  repeat: null,
  on_raster: false,
  cover: false,
  plain_name: false,
  preset: { width: null, height: null, fit: null, rate: null, repeat: null, over_page: false },
};

/** The output with another limit, or without it. A target with a figure of one's own is nobody else's any more. */
export function withLimit(output: Output, figure: string, most: number | null): Output {
  const base = output.target ?? OPEN_TARGET;
  const kept = Object.entries(base.figures).filter(([name]) => name !== figure);
  if (most !== null) kept.push([figure, { warn: null, stop: { least: null, most }, source: "" }]);
  const target = { ...base, name: "", title: "", about: "", figures: Object.fromEntries(kept) };
  const open = kept.length === 0 && base.formats.length === 0 && base.sizes.length === 0;
  return { ...output, target: open && base.alpha === "any" && base.repeat === null ? null : target };
}

export function addOutput(bench: Bench, output: Output): void {
  bench.edit(`Output added: ${output.name}`, (recipe) => ({ ...recipe, outputs: [...recipe.outputs, output] }));
}

/** A copy of an output behind it. */
export function duplicated(bench: Bench): Output {
  const { output, recipe } = bench;
  const name = freeName(output.name.replace(/ \d+$/, ""), recipe.outputs);
  const ending = /\.[^.]*$/.exec(output.file_name)?.[0] ?? "";
  const stem = output.file_name.replace(/(-\d+)?\.[^.]*$/, "");
  return {
    ...output,
    id: freeId(name, recipe.outputs),
    name,
    file_name: freeFile(stem, ending, recipe.outputs),
  };
}

export function duplicate(bench: Bench, copy: Output): void {
  const after = bench.output.id;
  bench.edit(`Output duplicated: ${copy.name}`, (recipe) => {
    const at = recipe.outputs.findIndex((one) => one.id === after) + 1;
    return { ...recipe, outputs: [...recipe.outputs.slice(0, at), copy, ...recipe.outputs.slice(at)] };
  });
}

export function remove(bench: Bench, id: string): void {
  const name = bench.recipe.outputs.find((one) => one.id === id)?.name ?? "";
  bench.edit(`Output removed: ${name}`, (recipe) => ({
    ...recipe,
    outputs: recipe.outputs.filter((one) => one.id !== id),
  }));
}

export function moveOutput(bench: Bench, id: string, by: number): void {
  bench.edit("Outputs reordered", (recipe) => {
    const from = recipe.outputs.findIndex((one) => one.id === id);
    const to = from + by;
    if (from < 0 || to < 0 || to >= recipe.outputs.length) return recipe;
    const outputs = [...recipe.outputs];
    const [moved] = outputs.splice(from, 1);
    if (moved) outputs.splice(to, 0, moved);
    return { ...recipe, outputs };
  });
}
