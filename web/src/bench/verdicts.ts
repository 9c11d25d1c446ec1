// What each part of the docket says of itself: figures first, then how it stands.

import type { JobInfo, Project, Recipe, ResultInfo } from "../api/client";
import { count, FLICKS, kilobytes, seconds, size, times } from "../format";
import type { Verdict } from "../ui/controls";
import { findings, leftOutByHand } from "./findings";

export const PARTS = ["gather", "rhythm", "framing", "tuning", "handoff"] as const;
export type Part = (typeof PARTS)[number];

export const PART_NAMES: Record<Part, string> = {
  gather: "Gather",
  rhythm: "Rhythm",
  framing: "Framing",
  tuning: "Tuning",
  handoff: "Hand-off",
};

export interface Standing {
  figure: string;
  beside: string;
  below: string;
  verdict: Verdict;
  word: string;
}

const fine = { verdict: "fine", word: "fine" } as const;

export function standings(
  project: Project,
  recipe: Recipe,
  result: ResultInfo | undefined,
  job: JobInfo | undefined,
  behind: boolean,
): Record<Part, Standing> {
  const output = recipe.outputs[0];
  const found = findings(project, recipe);
  const byHand = leftOutByHand(found, recipe).length;
  const gatherNote = [...found.map((finding) => finding.short), byHand > 0 ? `${byHand} left out` : ""].filter(
    Boolean,
  );
  const worst = (["stop", "look"] as const).find((verdict) =>
    found.some((finding) => finding.verdict === verdict && finding.short),
  );
  const busy = { verdict: "busy", word: "being made" } as const;
  const info = result?.info;
  const wished = result ? (result.durations.reduce((sum, flicks) => sum + flicks, 0) * 1000) / FLICKS : 0;
  const drifts = info ? Math.abs(info.duration_ms - wished) > 10 : false;
  const take = output?.take;
  const rate = take?.rate
    ? `at ${take.rate} fps of its own`
    : recipe.rhythm.delay === null
      ? `at ${recipe.rhythm.rate} fps`
      : "one delay";
  const unused = new Set([...recipe.gather.left_out, ...recipe.gather.folded]).size;
  const holds = Object.keys(recipe.rhythm.holds).length;
  const part = take?.span ? ` · ${take.span}` : "";
  const way = { forward: "", reverse: " · reversed", "there-and-back": " · there and back" }[
    recipe.rhythm.direction
  ];
  const edges = output?.alpha.edges;
  const transparent = project.frame_list.some((frame) => frame.transparent);
  const over = info && output?.budget ? info.bytes - output.budget : 0;
  const failed = job?.state === "failed";
  return {
    gather: {
      figure: String(project.frames - unused),
      beside: `${unused > 0 ? `of ${project.frames} ` : ""}${project.frames === 1 ? "frame" : "frames"}`,
      below:
        gatherNote.length > 0
          ? gatherNote.slice(0, 2).join(", ") + (gatherNote.length > 2 ? `, ${gatherNote.length - 2} more` : "")
          : `${project.width} × ${project.height} · all there`,
      ...(worst ? { verdict: worst, word: worst === "stop" ? "stops you" : "look" } : fine),
    },
    rhythm: {
      figure: info ? seconds(info.duration_ms) : "…",
      beside: `s ${rate}${holds > 0 ? `, ${count(holds, "hold")}` : ""}`,
      below: `${times(info?.repeat ?? recipe.rhythm.repeat)}${part}${way}${drifts ? ` · ${seconds(wished)} s wished` : ""}`,
      ...(!info ? busy : drifts ? { verdict: "look", word: "look" } : fine),
    },
    framing: {
      figure: info ? `${info.width} × ${info.height}` : "…",
      beside: "",
      below: !transparent
        ? "opaque"
        : edges === "cutoff"
          ? `edges cut off at ${output?.alpha.cutoff ?? ""}`
          : `${edges === "fill" ? "filled with" : "edges over"} ${output?.alpha.matte ?? ""}`,
      ...(info ? fine : busy),
    },
    tuning: {
      figure: String(output?.tuning.colours ?? ""),
      beside: `colours, ${output?.tuning.dither === "none" ? "no dither" : `diffusion ${output?.tuning.amount ?? 0} %`}`,
      below: info
        ? `${kilobytes(info.bytes)}${output?.budget ? ` of ${kilobytes(output.budget)}` : ""} KB`
        : "no bytes yet",
      ...(!info ? busy : over > 0 ? { verdict: "stop", word: `${size(over)} over` } : fine),
    },
    handoff: {
      figure: output?.file_name ?? "",
      beside: "",
      below: failed
        ? (job.error?.message ?? "it failed")
        : info && !behind
          ? `GIF, ${size(info.bytes)}, made and measured`
          : behind && job?.state === "cancelled"
            ? "the last change was called off"
            : "being made",
      ...(failed
        ? { verdict: "stop", word: "failed" }
        : over > 0 && !behind
          ? { verdict: "stop", word: "over budget" }
          : info && !behind
            ? { verdict: "fine", word: "ready" }
            : behind && job?.state === "cancelled"
              ? { verdict: "look", word: "look" }
              : busy),
    },
  };
}
