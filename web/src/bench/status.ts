// How outputs stand: what was made of them, and whether it passes.

import type { CheckInfo, Output, Project, ResultInfo } from "../api/client";
import type { Verdict } from "../ui/controls";

/** How an output stands, in a mark and a figure. */
export interface OutputStatus {
  output: Output;
  result: ResultInfo | undefined;
  /** The figures are from before the last change. */
  behind: boolean;
  verdict: Verdict;
  word: string;
  check: CheckInfo | undefined;
}

const WORDS = { pass: "fine", warn: "look", fail: "stop" } as const;

/** How every output stands. */
export function statusOf(project: Project, output: Output, unsaved: boolean): OutputStatus {
  const result = project.results.find((one) => one.output_id === output.id);
  const behind = unsaved || result?.revision_id !== project.revision.id;
  const job = project.jobs.find((one) => one.output_id === output.id);
  const check =
    result && project.checks[output.id]?.result_id === result.id ? project.checks[output.id] : undefined;
  const base = { output, result, behind, check };
  if (behind && job?.state === "failed") return { ...base, verdict: "stop", word: "failed" };
  if (behind && job?.state === "cancelled") return { ...base, verdict: "look", word: "out of date" };
  if (behind) return { ...base, verdict: "busy", word: "encoding" };
  if (!check) return { ...base, verdict: "fine", word: "ready" };
  const wrong = check.rules.filter((rule) => rule.verdict === check.verdict);
  const onlyBytes = check.target === "" && wrong.length === 1 && wrong[0]?.rule === "Bytes";
  const word = {
    pass: check.target === "" ? "ready" : "passes",
    warn: `${wrong.length} to check`,
    fail: onlyBytes ? "over budget" : `${wrong.length} ${wrong.length === 1 ? "rule fails" : "rules fail"}`,
  }[check.verdict];
  return { ...base, verdict: WORDS[check.verdict], word };
}
