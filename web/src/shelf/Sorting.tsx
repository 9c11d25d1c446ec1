// Several sequences in one drop: which of them come in, and as how many projects.

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { thumbUrl, type Choice, type ImportReport } from "../api/client";
import { count } from "../format";
import { Button, Mark, TextField } from "../ui/controls";
import { dropSorting, sort } from "./bring";
import { Like } from "./Like";
import { anyOf } from "../wildcard";

type Found = ImportReport["sequences"][number];

export function Sorting({ importId, report }: { importId: string; report: ImportReport }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [filter, setFilter] = useState("");
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [aside, setAside] = useState<readonly Group[]>([]);
  const [busy, setBusy] = useState(false);
  const [looked, setLooked] = useState<string | null>(null);
  const matching = useMemo(() => {
    const matches = anyOf(filter);
    const taken = new Set(aside.flatMap((group) => group.patterns));
    return report.sequences
      .filter((one) => !taken.has(one.pattern))
      .filter(
        (one) => matches(one.pattern) || one.files.some((file) => matches(file.split("/").at(-1) ?? file)),
      )
      .sort((a, b) => a.pattern.localeCompare(b.pattern, "en", { numeric: true }));
  }, [report, filter, aside]);
  const chosen = matching.filter((one) => !left.has(one.pattern));
  const frames = chosen.reduce((sum, one) => sum + one.count, 0);
  const patterns = chosen.map((one) => one.pattern);
  const [like, setLike] = useState<Choice["like"]>(null);
  /** What can be made by one click: the groups, and of the others one project each or one of them all. */
  const meant = [
    ...aside.map(({ name, patterns }) => ({ label: name, patterns })),
    ...patterns.map((pattern) => ({ label: pattern, patterns: [pattern] })),
    ...(patterns.length > 1 ? [{ label: `all ${patterns.length} together`, patterns }] : []),
  ];
  const begin = async (projects: Choice["projects"]) => {
    setBusy(true);
    const groups = aside.map(({ name, patterns }) => ({
      name: name.trim() || null,
      patterns,
      separate: false,
    }));
    const done = await sort({ projects: [...groups, ...projects], like }, queries);
    setBusy(false);
    if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
  };
  const setApart = () => {
    setAside([...aside, { key: nextKey(aside), name: nameFor(chosen), patterns }]);
    setFilter("");
  };
  /** A group for each of the words that tell sequences apart in one place of their names. */
  const groupBy = (place: number) => {
    const groups = new Map<string, Found[]>();
    for (const one of chosen) {
      const label = one.labels[place] ?? "";
      groups.set(label, [...(groups.get(label) ?? []), one]);
    }
    const first = nextKey(aside);
    const more = [...groups.values()].map((some, at) => ({
      key: first + at,
      name: nameFor(some),
      patterns: some.map(({ pattern }) => pattern),
    }));
    setAside([...aside, ...more]);
    setFilter("");
  };
  const change = (key: number, to: Partial<Group>) =>
    setAside(
      aside
        .map((group) => (group.key === key ? { ...group, ...to } : group))
        .filter((group) => group.patterns.length > 0),
    );
  const last = useRef(0);
  const pick = (some: readonly Found[], kept: boolean) => {
    const next = new Set(left);
    for (const { pattern } of some) {
      if (kept) next.delete(pattern);
      else next.add(pattern);
    }
    setLeft(next);
  };
  // Where nothing else is left it stands where it is seen, however many groups there are.
  const onlyGroups = aside.length > 0 && chosen.length === 0;
  const groupsAlone = (
    <Button look="strong" className="self-start" disabled={busy} onClick={() => void begin([])}>
      Import only the {count(aside.length, "group")}
    </Button>
  );
  const too = aside.length > 0 ? ` and ${aside.length} grouped` : "";
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
        <Button
          className="h-[26px]!"
          disabled={chosen.length === matching.length}
          onClick={() => pick(matching, true)}
        >
          All
        </Button>
        <Button className="h-[26px]!" disabled={chosen.length === 0} onClick={() => pick(matching, false)}>
          None
        </Button>
        <span className="grow" />
        <Button look="quiet" onClick={dropSorting}>
          Import none
        </Button>
      </div>
      {/* Before the list for the Tab key, below it to the eye. */}
      <div className="order-1 flex flex-wrap items-center gap-1.5">
        {onlyGroups ? (
          groupsAlone
        ) : (
          <>
            <Button
              look="strong"
              disabled={busy || chosen.length === 0}
              onClick={() => void begin([{ patterns, separate: false, name: null }])}
            >
              One project of {chosen.length === 1 ? "it" : `all ${chosen.length}`}
              {too}
            </Button>
            <Button
              disabled={busy || chosen.length < 2}
              onClick={() =>
                void begin(patterns.map((pattern) => ({ patterns: [pattern], separate: false, name: null })))
              }
            >
              One project each
            </Button>
            <Button
              disabled={busy || chosen.length === 0}
              onClick={() => void begin([{ patterns, separate: true, name: null }])}
            >
              Import as stills
            </Button>
          </>
        )}
        <Like importId={importId} meant={meant} like={like} onLike={setLike} />
        <span className="grow" />
        {labelsOf(chosen).map(({ place, labels }) => (
          <Button
            key={place}
            disabled={busy}
            title="A group for each: all sequences that share it are one project"
            onClick={() => groupBy(place)}
          >
            Group by {labels.slice(0, 2).join(", ")}
            {labels.length > 2 && ", …"}
          </Button>
        ))}
        <Button
          disabled={busy || chosen.length === 0}
          title="Make one project of the chosen ones, and go on with the others"
          onClick={setApart}
        >
          Group {chosen.length === 1 ? "it" : `these ${chosen.length}`}
        </Button>
      </div>
      <ul className="grid max-h-[318px] grid-cols-2 gap-x-6 overflow-y-auto lg:grid-cols-3">
        {matching.map((one, index) => (
          <li key={one.pattern} className="min-w-0 border-b border-line/60">
            <label
              title={told(one)}
              className="flex min-w-0 cursor-pointer items-center gap-2.5 py-1"
              onPointerEnter={() => setLooked(one.pattern)}
              onPointerLeave={() => setLooked(null)}
            >
              <input
                type="checkbox"
                checked={!left.has(one.pattern)}
                onClick={(event) => {
                  // With Shift, all from the last one that was clicked.
                  const [from, to] = [event.shiftKey ? last.current : index, index].sort((a, b) => a - b);
                  pick(matching.slice(from, (to ?? index) + 1), event.currentTarget.checked);
                  last.current = index;
                }}
                onChange={() => undefined}
                className="size-4 shrink-0 accent-[var(--jay)]"
              />
              <Glimpse pictures={one.pictures} plays={looked === one.pattern} />
              <span className="flex min-w-0 grow flex-col">
                <span className="truncate font-medium">{one.pattern}</span>
                <span className="truncate text-xs text-ink-2">{factsOf(one)}</span>
              </span>
              {troubles(one) > 0 && <Mark verdict="look" word={count(troubles(one), "note")} />}
            </label>
          </li>
        ))}
        {matching.length === 0 && filter && <li className="py-2 text-ink-2">No name is like “{filter}”.</li>}
        {matching.length === 0 && !filter && <li className="py-2 text-ink-2">All of them are in groups.</li>}
      </ul>
      {aside.length > 0 && (
        <div className="order-2 flex flex-col gap-2 border-t border-line pt-3">
          <ul aria-label="Groups" className="flex flex-col gap-2">
            {aside.map((group) => (
              <Apart
                key={group.key}
                group={group}
                onChange={(to) => change(group.key, to)}
                onBack={() => change(group.key, { patterns: [] })}
              />
            ))}
          </ul>
          {!onlyGroups && groupsAlone}
        </div>
      )}
    </section>
  );
}

/** Sequences that will be one project, in this order. */
interface Group {
  key: number;
  name: string;
  patterns: string[];
}

/** The places of names by which sequences can be grouped: fewer words there than sequences, and more than one. */
function labelsOf(sequences: readonly Found[]): { place: number; labels: string[] }[] {
  const places = Math.min(...sequences.map(({ labels }) => labels.length));
  if (sequences.length < 4 || places < 2) return [];
  return Array.from({ length: places }, (_, place) => ({
    place,
    labels: [...new Set(sequences.map(({ labels }) => labels[place] ?? ""))],
  })).filter(({ labels }) => labels.length > 1 && labels.length < sequences.length);
}

const nextKey = (groups: readonly Group[]) => Math.max(0, ...groups.map(({ key }) => key)) + 1;

/** A name to begin with: what the sequences' own names have in common. */
function nameFor(sequences: readonly Found[]): string {
  const words = sequences.map(
    ({ pattern }) =>
      pattern
        .split("#")[0]
        ?.split(/[\s_.\-/]+/)
        .filter(Boolean) ?? [],
  );
  const shared = (words[0] ?? []).filter((word, at) => words.every((other) => other[at] === word));
  const name = (shared.length > 0 ? shared : (words[0] ?? [])).join(" ");
  return name.charAt(0).toUpperCase() + name.slice(1) || "Frames";
}

function Apart({
  group,
  onChange,
  onBack,
}: {
  group: Group;
  onChange: (to: Partial<Group>) => void;
  onBack: () => void;
}) {
  const { patterns } = group;
  const move = (at: number, by: number) => {
    const next = [...patterns];
    const [one] = next.splice(at, 1);
    if (one !== undefined) next.splice(Math.max(0, at + by), 0, one);
    onChange({ patterns: next });
  };
  return (
    <li className="flex flex-wrap items-center gap-2 rounded-[8px] bg-well px-3 py-2">
      <TextField
        label="Name of the project"
        value={group.name}
        maxLength={200}
        onCommit={(name) => onChange({ name })}
        className="w-[190px] font-sans! font-medium"
      />
      <ol aria-label={`Sequences of ${group.name}`} className="flex min-w-0 grow flex-wrap gap-1.5">
        {patterns.map((pattern, at) => (
          <li
            key={pattern}
            className="flex min-w-0 items-center gap-0.5 rounded-[7px] border border-line bg-card pr-0.5 pl-2"
          >
            <span className="truncate">{pattern}</span>
            <Small label={`${pattern} earlier`} disabled={at === 0} onClick={() => move(at, -1)}>
              ←
            </Small>
            <Small label={`${pattern} later`} disabled={at === patterns.length - 1} onClick={() => move(at, 1)}>
              →
            </Small>
            <Small
              label={`Take ${pattern} out`}
              onClick={() => onChange({ patterns: patterns.filter((one) => one !== pattern) })}
            >
              ×
            </Small>
          </li>
        ))}
      </ol>
      <Button look="quiet" onClick={onBack}>
        Put back
      </Button>
    </li>
  );
}

function Small({ label, ...rest }: { label: string } & React.ComponentProps<"button">) {
  return (
    <button
      type="button"
      aria-label={label}
      className="size-6 rounded-[5px] text-ink-2 hover:bg-well hover:text-ink disabled:opacity-40"
      {...rest}
    />
  );
}

/** A sequence's own frames, small; they play while the pointer is over it. */
function Glimpse({ pictures, plays }: { pictures: readonly string[]; plays: boolean }) {
  const [at, setAt] = useState(0);
  useEffect(() => {
    setAt(0);
    if (!plays || matchMedia("(prefers-reduced-motion: reduce)").matches) return;
    const timer = setInterval(() => setAt((now) => (now + 1) % pictures.length), 125);
    return () => clearInterval(timer);
  }, [plays, pictures.length]);
  return (
    <span className="relative h-[40px] w-[60px] shrink-0 overflow-hidden rounded-[5px] bg-stage">
      {(plays ? pictures : pictures.slice(0, 1)).map((picture, index) => (
        <img
          key={index}
          src={thumbUrl(picture)}
          alt=""
          className={`absolute inset-0 h-full w-full object-contain ${index === at ? "" : "opacity-0"}`}
        />
      ))}
    </span>
  );
}

const troubles = (one: Found) => one.problems.filter((problem) => problem.kind !== "converted").length;

/** Its whole name, and what is wrong with it. */
const told = (one: Found) =>
  [
    one.pattern,
    ...one.problems
      .filter(({ kind }) => kind !== "converted")
      .slice(0, 8)
      .map(({ file, message }) => `${file}: ${message}`),
  ].join("\n");

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
