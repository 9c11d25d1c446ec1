import { describe, expect, it } from "vitest";
import type { JobInfo, PlanInfo, Project, Recipe, ResultInfo } from "../api/client";
import { FLICKS } from "../format";
import { mostBytes } from "./framing";
import { OPEN_TARGET, withLimit } from "./outputs";
import { statusOf } from "./status";
import { FRAMING, rhythm } from "./testing";
import { partStatuses } from "./verdicts";

const output: Recipe["outputs"][number] = {
  id: "page",
  name: "Page loop",
  file_name: "loop.gif",
  format: "gif",
  take: {
    spans: [],
    first: null,
    last: null,
    rate: null,
    keep: "time",
    between: "hold",
    length: null,
    repeat: null,
  },
  framing: null,
  size: { width: null, height: null, fit: "contain", at: "centre", picture: null, resample: "auto" },
  alpha: { edges: "cutoff", cutoff: 128, matte: "#ffffff" },
  tuning: {
    colours: 128,
    palette: "shared",
    dither: "diffusion",
    amount: 60,
    matrix: 8,
    sparing: false,
    tolerance: 0,
    loss: 0,
    locked: [],
  },
  target: {
    ...OPEN_TARGET,
    figures: { bytes: { warn: null, stop: { least: null, most: 1024 * 1024 }, source: "" } },
  },
};

const recipe: Recipe = {
  version: 1,
  gather: { left_out: [], folded: [], clear: [], gaps: "skip", sizes: "same", size: null, over: null },
  rhythm: rhythm(),
  framing: FRAMING,
  outputs: [output],
};

const project = {
  frames: 24,
  width: 580,
  height: 351,
  report: { missing: [], problems: [] },
  frame_list: [{ transparent: false }],
  results: [],
  jobs: [],
  checks: {},
  revision: { id: 7 },
} as unknown as Project;

function result(bytes: number, ms = 1000): ResultInfo {
  const info = { bytes, width: 580, height: 351, duration_ms: ms, count: 24, repeat: 0 };
  const time = { durations: [FLICKS], delays: [ms] };
  return { id: 3, output_id: "page", revision_id: 7, info, ...time } as unknown as ResultInfo;
}

/** The docket for an output that stands so. */
function cells(
  of: Project,
  by: Recipe,
  made: ResultInfo | undefined,
  job: JobInfo | undefined,
  behind: boolean,
  plan?: PlanInfo,
) {
  const over = (made?.info.bytes ?? 0) > 1024 * 1024;
  const verdict = over ? "fail" : "pass";
  const check = { result_id: 3, target: "", verdict, rules: [{ rule: "Bytes", verdict }] };
  const known = {
    ...of,
    results: made ? [{ ...made, revision_id: behind ? 6 : 7 }] : [],
    jobs: job ? [{ ...job, output_id: "page" }] : [],
    checks: { page: check },
  } as unknown as Project;
  return partStatuses(known, by, output, made, job, behind, [statusOf(known, output, false)], plan);
}

describe("the docket", () => {
  it("is fine when all is there, in time and within the budget", () => {
    const docket = cells(project, recipe, result(742 * 1024), undefined, false);
    expect(Object.values(docket).map((cell) => cell.word)).toEqual(["fine", "fine", "fine", "fine", "ready"]);
    expect(docket.tuning.below).toBe("742 of 1024 KB");
    expect(docket.rhythm.figure).toBe("1.00");
    expect(docket.framing.figure).toBe("580 × 351");
  });

  it("keeps frames, time and size where no file can be made of them", () => {
    const refused = { state: "failed", error: { message: "3 frames do not fit" } } as unknown as JobInfo;
    const plan = { duration_ms: 1500 } as unknown as PlanInfo;
    for (const made of [undefined, result(742 * 1024)]) {
      const docket = cells(project, recipe, made, refused, true, plan);
      expect([docket.rhythm.verdict, docket.rhythm.stale, docket.rhythm.figure]).toEqual([
        "fine",
        false,
        "1.50",
      ]);
      expect([docket.framing.verdict, docket.framing.stale]).toEqual(["fine", false]);
      expect(docket.handoff).toMatchObject({ verdict: "stop", below: "3 frames do not fit" });
      expect(docket.tuning.verdict).not.toBe("fine");
    }
  });

  it("says how much a file is over, never rounding it away", () => {
    const docket = cells(project, recipe, result(1024 * 1024 + 1), undefined, false);
    expect(docket.tuning).toMatchObject({ verdict: "stop", word: "1 KB over" });
    expect(docket.handoff).toMatchObject({ verdict: "stop", word: "over budget" });
  });

  it("shows when the file does not last as long as was wished", () => {
    const docket = cells(project, recipe, result(1000, 1200), undefined, false);
    expect(docket.rhythm).toMatchObject({ verdict: "look", below: "for ever · 1.00 s requested" });
  });

  it("counts what is missing, what is not used and what was left out", () => {
    const gaps = {
      ...project,
      report: {
        missing: [3, 4],
        problems: ["missing", "unreadable"].map((kind) => ({ kind, file: "", remedy: "", positions: [] })),
      },
    } as unknown as Project;
    const thinner = { ...recipe, gather: { ...recipe.gather, left_out: [7] } };
    const { gather } = cells(gaps, thinner, result(1000), undefined, false);
    expect(gather.below).toBe("1 unreadable, 2 missing, 1 more");
    expect(gather.verdict).toBe("look");
  });

  it("never calls an old file ready, and tells a failure from a change called off", () => {
    const job = (state: string) => ({ state, error: { message: "the disk refused" } }) as unknown as JobInfo;
    const of = (state: string) => cells(project, recipe, result(1000), job(state), true).handoff;
    expect(of("running").verdict).toBe("busy");
    expect(of("failed")).toMatchObject({ verdict: "stop", below: "the disk refused" });
    expect(of("cancelled")).toMatchObject({ verdict: "look", below: "the last change is not encoded" });
    expect(cells(project, recipe, undefined, undefined, true).framing.verdict).toBe("busy");
  });

  it("marks every figure that is older than the setting beside it", () => {
    for (const [state, verdict] of [
      ["running", "busy"],
      ["cancelled", "look"],
      ["failed", "look"], // by which of them is not known; the hand-off says that it did
    ] as const) {
      const job = { state, error: null } as unknown as JobInfo;
      const docket = cells(project, recipe, result(1000), job, true);
      for (const part of ["rhythm", "framing", "tuning"] as const)
        expect(docket[part]).toMatchObject({ stale: true, verdict });
    }
    const never = { state: "failed", error: null } as unknown as JobInfo;
    expect(cells(project, recipe, undefined, never, true).tuning.verdict).toBe("stop");
    expect(cells(project, recipe, result(1000), undefined, false).tuning.stale).toBe(false);
  });

  it("says when frames are too short for a GIF, and when a picture is enlarged", () => {
    const short = { ...result(1000), durations: [FLICKS / 100, FLICKS] };
    expect(cells(project, recipe, short, undefined, false).rhythm).toMatchObject({ word: "too fast" });
    const small = { ...project, width: 290, height: 175 };
    expect(cells(small, recipe, result(1000), undefined, false).framing).toMatchObject({
      verdict: "look",
      word: "enlarged",
      below: "from 290 × 175, opaque",
    });
  });
});

describe("a limit set by hand", () => {
  it("makes a target the output's own, and goes without a trace", () => {
    const post = { ...OPEN_TARGET, name: "post", title: "Post", formats: ["gif" as const] };
    const aimed = { ...output, target: post };
    expect(withLimit(aimed, "width", 300).target).toMatchObject({ name: "", title: "", formats: ["gif"] });
    const none = { ...output, target: null };
    expect(withLimit(withLimit(none, "width", 300), "width", null)).toEqual(none);
    expect(mostBytes(withLimit(none, "bytes", 4096))).toBe(4096);
  });
});
