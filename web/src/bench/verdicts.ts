// What each part of the docket says of itself: figures first, then how it stands.

import type { JobInfo, Output, PlanInfo, Project, Recipe, ResultInfo, SourceInfo } from "../api/client";
import { count, FLICKS, kilobytes, seconds, size, times } from "../format";
import type { Verdict } from "../ui/controls";
import { findings, leftOutByHand } from "./findings";
import { FLOOR } from "./delays";
import { viewOf } from "./formats/table";
import { cropOf } from "./crop";
import { mayBeSoft, mostBytes } from "./framing";
import { canvasOf, placed } from "./placing";
import { isRendering } from "./source";
import type { OutputStatus } from "./status";

export const PARTS = ["gather", "rhythm", "framing", "tuning", "handoff"] as const;
export type Part = (typeof PARTS)[number];

export const PART_NAMES: Record<Part, string> = {
  gather: "Gather",
  rhythm: "Rhythm",
  framing: "Framing",
  tuning: "Tuning",
  handoff: "Hand-off",
};

export interface PartStatus {
  /** The figures were measured before the last change. */
  stale: boolean;
  figure: string;
  beside: string;
  below: string;
  verdict: Verdict;
  word: string;
}

const fine = { verdict: "fine", word: "fine" } as const;

export function partStatuses(
  project: Project,
  recipe: Recipe,
  output: Output,
  result: ResultInfo | undefined,
  job: JobInfo | undefined,
  behind: boolean,
  outputs: readonly OutputStatus[],
  /** What it plays, where no file can be made of it. */
  plan?: PlanInfo,
  /** Where its frames lie, if they were opened in place. */
  source: SourceInfo | null = null,
): Record<Part, PartStatus> {
  const view = viewOf(output);
  const rendering = isRendering(source);
  // What is missing while frames are still expected is on its way.
  const found = findings(project, recipe).filter(({ key }) => !(rendering && key.startsWith("missing ")));
  const fresh = source?.state === "here" && !source.follows ? source.newer + source.added : 0;
  const byHand = leftOutByHand(found, recipe).length;
  const gatherNote = [
    rendering ? "rendering" : "",
    fresh > 0 ? `${fresh} newer` : "",
    ...found.map((finding) => finding.short),
    byHand > 0 ? `${byHand} left out` : "",
  ].filter(Boolean);
  const worst = (["stop", "look"] as const).find((verdict) =>
    found.some((finding) => finding.verdict === verdict && finding.short),
  );
  const info = result?.info;
  const failed = job?.state === "failed";
  const failure = { verdict: "stop", word: "failed" } as const;
  /** How figures stand that are older than the settings beside them. */
  const stale = !behind
    ? null
    : failed && !info
      ? failure
      : failed || job?.state === "cancelled"
        ? ({ verdict: "look", word: "out of date" } as const)
        : ({ verdict: "busy", word: "encoding" } as const);
  const wished = result ? (result.durations.reduce((sum, flicks) => sum + flicks, 0) * 1000) / FLICKS : 0;
  const lasts = result?.delays.reduce((sum, delay) => sum + delay, 0) ?? 0;
  const drifts = result && output.format !== "still" ? Math.abs(lasts - wished) > 10 : false;
  const { take } = output;
  const unused = new Set([...recipe.gather.left_out, ...recipe.gather.folded]).size;
  const holds = Object.keys(recipe.rhythm.holds).length;
  const places = recipe.rhythm.order?.length ?? project.frames;
  const rate = take.rate
    ? take.keep === "frames" && take.length === null
      ? `one by one at ${take.rate} fps`
      : `at ${take.rate} fps output`
    : holds >= places - unused
      ? "custom delays"
      : recipe.rhythm.delay === null
        ? `at ${recipe.rhythm.rate} fps`
        : "one delay";
  const [only] = take.spans;
  const part = only ? ` · ${take.spans.length > 1 ? count(take.spans.length, "span") : only}` : "";
  const way = { forward: "", reverse: " · reversed", "there-and-back": " · there and back" }[
    recipe.rhythm.direction
  ];
  const crop = cropOf(recipe, output, project);
  const { width, height } = crop ?? project;
  const shown = placed(output.size, width, height) ?? info;
  const enlarged = shown && info ? shown.width > width || shown.height > height : false;
  const scaled = info ? info.width < width || info.height < height : false;
  /** Frames and time need no file: what is known of them without one stands. */
  const known = behind && failed ? plan : undefined;
  const canvas = canvasOf(output.size, width, height);
  const most = mostBytes(output);
  const over = info && most !== null ? info.bytes - most : 0;
  const short =
    output.format === "gif" ? (result?.durations.filter((flicks) => flicks < FLOOR).length ?? 0) : 0;
  const mine = outputs.find((one) => one.output.id === output.id);
  const passing = outputs.filter((one) => one.verdict === "fine").length;
  return {
    gather: {
      stale: false,
      figure: String(project.frames - unused),
      beside: `${unused > 0 ? `of ${project.frames} ` : ""}${project.frames === 1 ? "frame" : "frames"}${rendering ? " so far" : ""}`,
      below:
        gatherNote.length > 0
          ? gatherNote.slice(0, 2).join(", ") + (gatherNote.length > 2 ? `, ${gatherNote.length - 2} more` : "")
          : `${project.width} × ${project.height} · all there`,
      ...(worst
        ? { verdict: worst, word: worst === "stop" ? "blocks export" : "check" }
        : rendering
          ? { verdict: "busy", word: "following" }
          : fresh > 0
            ? { verdict: "look", word: "newer" }
            : fine),
    },
    rhythm: {
      stale: behind && !known,
      figure:
        output.format === "still"
          ? `Frame ${output.frame}`
          : known || info
            ? seconds((known ?? info)?.duration_ms ?? 0)
            : "…",
      beside:
        output.format === "still"
          ? ""
          : `s ${rate}${holds > 0 && holds < places - unused ? `, ${count(holds, "custom delay")}` : ""}`,
      below:
        output.format === "still"
          ? "one picture"
          : `${times(info?.repeat ?? recipe.rhythm.repeat)}${part}${way}${drifts ? ` · ${seconds(wished)} s requested` : ""}`,
      ...((known ? null : stale) ??
        (short > 0
          ? { verdict: "look", word: "too fast" }
          : drifts
            ? { verdict: "look", word: "check" }
            : fine)),
    },
    framing: {
      stale: behind && !known,
      figure: known ? `${canvas[0]} × ${canvas[1]}` : info ? `${info.width} × ${info.height}` : "…",
      beside: "",
      below:
        (enlarged || scaled ? `from ${width} × ${height}, ` : "") +
        (mayBeSoft({ project }, output) ? underneath(output) : "opaque"),
      ...((known ? null : stale) ?? (enlarged ? { verdict: "look", word: "enlarged" } : fine)),
    },
    tuning: {
      stale: behind,
      ...view.tuning(output),
      below: info
        ? `${kilobytes(info.bytes)}${most !== null ? ` of ${kilobytes(most)}` : ""} KB`
        : "no bytes yet",
      ...(stale ?? (over > 0 ? { verdict: "stop", word: `${size(over)} over` } : fine)),
    },
    handoff: {
      stale: false,
      figure: output.file_name,
      beside: "",
      below: failed
        ? (job.error?.message ?? "it failed")
        : info && !behind
          ? outputs.length > 1
            ? `${view.title(output)} · ${passing} of ${outputs.length} outputs fine`
            : `${view.title(output)}, ${size(info.bytes)}, ready`
          : job?.state === "cancelled"
            ? "the last change is not encoded"
            : "encoding",
      ...(behind && failed ? failure : (stale ?? (mine ? { verdict: mine.verdict, word: mine.word } : fine))),
    },
  };
}

/** What an output's soft edges come to. */
function underneath(output: Output): string {
  if (output.format !== "gif") return output.over === null ? "alpha kept" : `over ${output.over}`;
  const { edges, cutoff, matte } = output.alpha;
  if (edges === "dither") return "edges dithered";
  if (edges === "cutoff") return `cut-off at ${cutoff}`;
  return `${edges === "fill" ? "filled with" : "matte"} ${matte}`;
}
