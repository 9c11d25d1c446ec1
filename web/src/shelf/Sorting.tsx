// Several sequences in one drop: which of them come in, and as how many projects.

import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import type { ImportReport } from "../api/client";
import { count } from "../format";
import { Button, Mark } from "../ui/controls";
import { sort, useBringing } from "./bring";
import { wildcard } from "./wildcard";

type Found = ImportReport["sequences"][number];

export function Sorting({ report }: { report: ImportReport }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [filter, setFilter] = useState("");
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [busy, setBusy] = useState(false);
  const matching = useMemo(() => {
    const matches = wildcard(filter);
    return report.sequences
      .filter(
        (one) => matches(one.pattern) || one.files.some((file) => matches(file.split("/").at(-1) ?? file)),
      )
      .sort((a, b) => a.pattern.localeCompare(b.pattern, "en", { numeric: true }));
  }, [report, filter]);
  const chosen = matching.filter((one) => !left.has(one.pattern));
  const frames = chosen.reduce((sum, one) => sum + one.count, 0);
  const patterns = chosen.map((one) => one.pattern);
  const begin = async (projects: { patterns: string[]; separate: boolean }[]) => {
    setBusy(true);
    const done = await sort({ projects }, queries);
    setBusy(false);
    if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
  };
  const keep = (pattern: string, kept: boolean) => {
    const next = new Set(left);
    if (kept) next.delete(pattern);
    else next.add(pattern);
    setLeft(next);
  };
  return (
    <section
      aria-label="Sequences found"
      className="flex flex-col gap-3 rounded-[12px] border border-jay bg-card px-6 py-4"
    >
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="text-[15px] font-bold">{count(report.sequences.length, "sequence")} found</h2>
        <label className="flex items-center gap-2">
          <span className="text-ink-2">Only</span>
          <input
            autoFocus
            type="search"
            value={filter}
            aria-label="Only names like"
            placeholder="*-NE-*"
            onChange={(event) => setFilter(event.target.value)}
            className="figure h-[30px] w-[200px] rounded-[7px] border border-line bg-card px-2.5 placeholder:text-ink-3"
          />
        </label>
        <span role="status" aria-label="Matches" className="text-ink-2">
          <span className="figure">{chosen.length}</span> of {report.sequences.length} sequences,{" "}
          <span className="figure">{frames}</span> frames
        </span>
        <span className="grow" />
        <Button look="quiet" onClick={() => useBringing.setState({ sorting: null })}>
          Bring none of them in
        </Button>
      </div>
      <ul className="grid max-h-[264px] grid-cols-2 gap-x-6 overflow-y-auto lg:grid-cols-3">
        {matching.map((one) => (
          <li key={one.pattern} className="min-w-0 border-b border-line/60">
            <label className="flex min-w-0 cursor-pointer items-center gap-2.5 py-1.5">
              <input
                type="checkbox"
                checked={!left.has(one.pattern)}
                onChange={(event) => keep(one.pattern, event.target.checked)}
                className="size-4 shrink-0 accent-[var(--jay)]"
              />
              <span className="flex min-w-0 grow flex-col">
                <span className="truncate font-medium" title={one.pattern}>
                  {one.pattern}
                </span>
                <span className="truncate text-xs text-ink-2">{factsOf(one)}</span>
              </span>
              {troubles(one) > 0 && <Mark verdict="look" word={count(troubles(one), "note")} />}
            </label>
          </li>
        ))}
        {matching.length === 0 && <li className="py-2 text-ink-2">No name is like “{filter}”.</li>}
      </ul>
      <div className="flex flex-wrap items-center gap-1.5">
        <Button
          look="strong"
          disabled={busy || chosen.length === 0}
          onClick={() => void begin([{ patterns, separate: false }])}
        >
          One project of {chosen.length === 1 ? "it" : `all ${chosen.length}`}
        </Button>
        <Button
          disabled={busy || chosen.length < 2}
          onClick={() => void begin(patterns.map((pattern) => ({ patterns: [pattern], separate: false })))}
        >
          A project each
        </Button>
        <Button
          disabled={busy || chosen.length === 0}
          onClick={() => void begin([{ patterns, separate: true }])}
        >
          They are separate pictures
        </Button>
      </div>
    </section>
  );
}

const troubles = (one: Found) => one.problems.filter((problem) => problem.kind !== "converted").length;

function factsOf(one: Found): string {
  const numbers =
    one.first === null ? "no number" : one.first === one.last ? `${one.first}` : `${one.first} to ${one.last}`;
  const sizes = Object.keys(one.sizes).map((text) => text.replace("x", " × "));
  return [
    ...one.labels,
    count(one.count, "frame"),
    numbers,
    sizes.length === 1 ? sizes[0] : `${sizes.length} sizes`,
  ].join(" · ");
}
