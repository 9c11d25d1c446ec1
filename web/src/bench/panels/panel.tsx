// What all panels are handed, and the head each begins with.

import type { JobInfo, ResultInfo } from "../../api/client";
import { Mark } from "../../ui/controls";
import type { Bench } from "../edits";
import type { OutputStatus } from "../status";
import type { Shown } from "../useShown";

export interface PanelProps {
  bench: Bench;
  result: ResultInfo | undefined;
  shown: Shown | null;
  /** The result is from before the last change. */
  behind: boolean;
  busy: boolean;
  job: JobInfo | undefined;
  /** Frames of the output as it is now are coded, and told of as they are. */
  coding: boolean;
  cancel: () => void;
  retry: () => void;
  /** How every output stands. */
  outputs: readonly OutputStatus[];
  /** Look at another output. */
  choose: (id: string) => void;
}

export function Head({ title, children }: { title: string; children?: React.ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-2">
      <h2 className="text-[15px] font-bold">{title}</h2>
      <span className="truncate text-xs text-ink-2">{children}</span>
    </div>
  );
}

export function Facts({ facts }: { facts: readonly (readonly [string, React.ReactNode])[] }) {
  return (
    <dl className="grid grid-cols-[76px_1fr] gap-x-3 gap-y-1.5">
      {facts.map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-ink-2">{name}</dt>
          <dd className="figure min-w-0 break-words">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Those of some outputs whose newest files fail a rule: they can leave all the same. */
export function Failing({ of }: { of: readonly OutputStatus[] }) {
  const failing = of.filter((one) => !one.behind && one.check?.verdict === "fail");
  if (failing.length === 0) return null;
  const rules = (one: OutputStatus) =>
    one.check?.rules.filter((rule) => rule.verdict === "fail").map((rule) => rule.rule.toLowerCase());
  const words = failing.map((one) =>
    of.length > 1 ? `${one.output.name} (${rules(one)?.join(", ")})` : rules(one)?.join(", "),
  );
  return (
    <p role="status" className="text-xs">
      <Mark
        verdict="stop"
        word={of.length > 1 ? `${failing.length} of ${of.length} fail their rules:` : "Fails:"}
      />{" "}
      <span className="text-ink-2">{words.join("; ")}</span>
    </p>
  );
}
