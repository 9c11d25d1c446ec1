// Folders of this machine: what is in them, by name, to be opened where it lies.

import { useQuery } from "@tanstack/react-query";
import { ChevronRight, Clapperboard, FileArchive, Folder, Images } from "lucide-react";
import { useEffect, useId, useMemo, useRef, useState } from "react";
import { api, data, type FolderInfo, type OpenInPlace } from "../api/client";
import { ago, count, size } from "../format";
import { Button, Checkbox, Mark } from "../ui/controls";
import { anyOf } from "../wildcard";

/** A folder: one that may be read, or one in it. */
export interface Place {
  root: string;
  path: string;
}

type Listed = FolderInfo["sequences"][number];
type Row = { kind: "folder"; name: string } | { kind: "files"; name: string; files: Listed };

/** The folders that the service may read, by name. */
export function useFolderNames(): readonly string[] {
  const names = useQuery({
    queryKey: ["folders"],
    queryFn: () => data<string[]>(api.GET("/api/folders")),
    staleTime: Infinity,
  });
  return names.data ?? [];
}

/** Look at what is there again after so many ms: a render may have begun. */
const AGAIN = 4000;
/** So many files are not looked through all the time. */
const MANY = 5000;
const LAST = "jayflick-folder";

const filesIn = (found: FolderInfo | undefined) =>
  (found?.others ?? 0) + (found?.sequences ?? []).reduce((sum, { count }) => sum + count, 0);

function lastPlace(names: readonly string[]): Place {
  try {
    const last = JSON.parse(localStorage.getItem(LAST) ?? "null") as Place | null;
    if (last && names.includes(last.root)) return last;
  } catch {
    // What cannot be read was never written by us.
  }
  return { root: names[0] ?? "", path: "" };
}

const inside = ({ root, path }: Place, name: string): Place => ({
  root,
  path: path ? `${path}/${name}` : name,
});
const above = ({ root, path }: Place): Place => ({ root, path: path.split("/").slice(0, -1).join("/") });

/** Where one looks, and what is there. */
export function useFolder(names: readonly string[]) {
  const [place, setPlace] = useState(() => lastPlace(names));
  const found = useQuery({
    queryKey: ["folder", place.root, place.path],
    queryFn: ({ signal }) =>
      data<FolderInfo>(api.GET("/api/folders/listing", { params: { query: place }, signal })),
    refetchInterval: ({ state }) => (filesIn(state.data) > MANY ? false : AGAIN),
    retry: false,
  });
  const rows = useMemo<readonly Row[]>(
    () => [
      ...(found.data?.folders ?? []).map((name) => ({ kind: "folder", name }) as const),
      ...(found.data?.sequences ?? []).map((files) => ({ kind: "files", name: files.pattern, files }) as const),
    ],
    [found.data],
  );
  return {
    names,
    place,
    found: found.data,
    error: found.error,
    rows,
    go: (to: Place) => {
      localStorage.setItem(LAST, JSON.stringify(to));
      setPlace(to);
    },
  };
}

export function OpenHere({
  names,
  onOpen,
  onClose,
}: {
  names: readonly string[];
  onOpen: (choice: OpenInPlace, follow: boolean) => void;
  onClose: () => void;
}) {
  const folder = useFolder(names);
  const { place, found, rows } = folder;
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [follow, setFollow] = useState(false);
  const move = (to: Place) => {
    setChosen(new Set());
    folder.go(to);
  };
  const open = (some: readonly Row[]) =>
    onOpen(
      {
        ...place,
        sequences: some.filter(({ kind }) => kind === "files").map(({ name }) => name),
        folders: some.filter(({ kind }) => kind === "folder").map(({ name }) => name),
      },
      follow,
    );
  const picked = rows.filter((row) => chosen.has(keyOf(row)));
  const frames = picked.reduce((sum, row) => sum + (row.kind === "files" ? row.files.count : 0), 0);
  const sequences = found?.sequences.length ?? 0;
  return (
    <section
      aria-label="Folders here"
      className="flex flex-col gap-3 rounded-[12px] border border-jay bg-card px-6 py-4"
    >
      <FolderList
        folder={folder}
        chosen={chosen}
        onChoose={setChosen}
        onGo={move}
        onOpen={(row) => open(picked.length > 0 && chosen.has(keyOf(row)) ? picked : [row])}
        onClose={onClose}
      />
      <div className="flex flex-wrap items-center gap-3">
        {picked.length > 0 ? (
          <Button look="strong" onClick={() => open(picked)}>
            Open {picked.length === 1 ? picked[0]?.name : `${picked.length} chosen`}
          </Button>
        ) : (
          <Button look="strong" disabled={rows.length === 0} onClick={() => open([])}>
            Open all in this folder
          </Button>
        )}
        <Checkbox label="Follow while frames are rendered" checked={follow} onChange={setFollow} />
        <span className="grow" />
        <span role="status" aria-label="Chosen" className="text-ink-2">
          {picked.length > 0
            ? [frames > 0 ? count(frames, "file") : "", folderWords(picked)].filter(Boolean).join(", ")
            : found && [count(sequences, "sequence"), othersWords(found)].filter(Boolean).join(", ")}
        </span>
        <Button look="quiet" onClick={onClose}>
          Cancel
        </Button>
      </div>
    </section>
  );
}

const folderWords = (rows: readonly Row[]) => {
  const folders = rows.filter(({ kind }) => kind === "folder").length;
  return folders > 0 ? `${count(folders, "folder")} with all in ${folders === 1 ? "it" : "them"}` : "";
};
const othersWords = ({ others }: FolderInfo) => (others > 0 ? count(others, "other file") : "");
const keyOf = ({ kind, name }: Row) => `${kind} ${name}`;

/** A folder's folders and sequences; what is chosen, and where one goes, is up to whoever shows it. */
export function FolderList({
  folder: { names, place, found, error, rows },
  chosen,
  onChoose,
  onGo,
  onOpen,
  onClose,
}: {
  folder: Omit<ReturnType<typeof useFolder>, "go">;
  chosen: ReadonlySet<string>;
  onChoose: (chosen: ReadonlySet<string>) => void;
  onGo: (place: Place) => void;
  /** A sequence is wanted. */
  onOpen: (row: Row) => void;
  onClose: () => void;
}) {
  const id = useId();
  const [filter, setFilter] = useState("");
  const [at, setAt] = useState(0);
  const list = useRef<HTMLUListElement>(null);
  const matching = useMemo(() => {
    const matches = anyOf(filter);
    return rows.filter(({ name }) => matches(name));
  }, [rows, filter]);
  const here = Math.min(at, matching.length - 1);
  useEffect(() => list.current?.focus(), []);
  useEffect(() => setAt(0), [place.root, place.path, filter]);
  useEffect(() => {
    list.current?.children[here]?.scrollIntoView({ block: "nearest" });
  }, [here]);
  const pick = (index: number, how: { shift: boolean; more: boolean }) => {
    const row = matching[index];
    if (!row) return;
    const [from, to] = how.shift ? [Math.min(here, index), Math.max(here, index)] : [index, index];
    const some = matching.slice(from, to + 1).map(keyOf);
    const next = new Set(how.more || how.shift ? chosen : []);
    const only = some.length === 1 && chosen.has(keyOf(row)) && (how.more || chosen.size === 1);
    for (const key of some)
      if (only) next.delete(key);
      else next.add(key);
    onChoose(next);
    setAt(index);
  };
  const enter = (row: Row | undefined) => {
    if (row?.kind === "folder") onGo(inside(place, row.name));
    else if (row) onOpen(row);
  };
  const onKey = (event: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8, Home: -1e9, End: 1e9 }[event.key];
    if (step !== undefined) {
      const next = Math.max(0, Math.min(matching.length - 1, here + step));
      if (event.shiftKey) pick(next, { shift: true, more: true });
      else setAt(next);
    } else if (event.key === " ") pick(here, { shift: false, more: true });
    else if (event.key === "Enter" || (event.key === "ArrowRight" && matching[here]?.kind === "folder"))
      enter(matching[here]);
    else if (event.key === "Backspace" || event.key === "ArrowLeft") {
      if (place.path) onGo(above(place));
    } else if (event.key === "a" && (event.ctrlKey || event.metaKey)) onChoose(new Set(matching.map(keyOf)));
    else if (event.key === "Escape") onClose();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const parts = place.path ? place.path.split("/") : [];
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <nav aria-label="Folder" className="-ml-1 flex min-w-0 flex-wrap items-center gap-0.5 text-[15px]">
          {names.length > 1 ? (
            <select
              aria-label="Folders that may be read"
              value={place.root}
              onChange={(event) => onGo({ root: event.target.value, path: "" })}
              className="h-[30px] rounded-[7px] border border-line bg-card px-2 font-semibold"
            >
              {names.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          ) : (
            <Crumb name={place.root} last={parts.length === 0} onGo={() => onGo({ ...place, path: "" })} />
          )}
          {parts.map((name, index) => (
            <span key={index} className="flex min-w-0 items-center gap-0.5">
              <ChevronRight size={14} className="shrink-0 text-ink-2" aria-hidden />
              <Crumb
                name={name}
                last={index === parts.length - 1}
                onGo={() => onGo({ ...place, path: parts.slice(0, index + 1).join("/") })}
              />
            </span>
          ))}
        </nav>
        <span className="grow" />
        <label className="flex items-center gap-2">
          <span className="text-ink-2">Only</span>
          <input
            type="search"
            value={filter}
            aria-label="Only names like"
            placeholder="*_v2*"
            onChange={(event) => setFilter(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown") {
                event.preventDefault();
                list.current?.focus();
              }
            }}
            className="figure h-[30px] w-[180px] rounded-[7px] border border-line bg-card px-2.5 placeholder:text-ink-3"
          />
        </label>
      </div>
      {error && (
        <p role="alert">
          <Mark verdict="stop" word="Cannot be read" /> {error.message}
        </p>
      )}
      <ul
        ref={list}
        role="listbox"
        aria-label="In this folder"
        aria-multiselectable
        aria-activedescendant={matching[here] && `${id}-${here}`}
        tabIndex={0}
        onKeyDown={onKey}
        className="max-h-[320px] min-h-[64px] overflow-y-auto rounded-[8px] border border-line"
      >
        {matching.map((row, index) => (
          <li
            key={keyOf(row)}
            id={`${id}-${index}`}
            role="option"
            aria-selected={chosen.has(keyOf(row))}
            onClick={(event) => pick(index, { shift: event.shiftKey, more: event.ctrlKey || event.metaKey })}
            onDoubleClick={() => enter(row)}
            className={`grid cursor-default grid-cols-[20px_minmax(0,1fr)_auto] items-center gap-2.5 border-b border-line/60 px-3 py-1.5 select-none ${
              chosen.has(keyOf(row)) ? "bg-jay-soft" : "hover:bg-well"
            } ${index === here ? "[ul:focus_&]:shadow-[inset_2px_0_0_var(--jay)]" : ""}`}
          >
            <Glyph row={row} />
            <span dir="auto" className="truncate font-medium">
              {row.name}
            </span>
            {row.kind === "files" ? (
              <Facts files={row.files} />
            ) : (
              <span
                aria-hidden
                title={`Look into ${row.name}`}
                className="rounded-[5px] p-1 text-ink-2 hover:bg-card hover:text-ink"
                onClick={(event) => {
                  event.stopPropagation();
                  enter(row);
                }}
              >
                <ChevronRight size={16} />
              </span>
            )}
          </li>
        ))}
        {!found && !error && <li className="px-3 py-4 text-center text-ink-2">Looking…</li>}
        {found && matching.length === 0 && (
          <li className="px-3 py-4 text-center text-ink-2">
            {filter
              ? `No name is like “${filter}”.`
              : found.others > 0
                ? `No frames here, only ${count(found.others, "other file")}.`
                : "This folder is empty."}
          </li>
        )}
      </ul>
      {found?.more && (
        <p className="text-ink-2">
          <Mark verdict="look" word="more" /> There are more than 100,000 names here; these are of the first.
        </p>
      )}
    </>
  );
}

function Crumb({ name, last, onGo }: { name: string; last: boolean; onGo: () => void }) {
  return (
    <button
      type="button"
      aria-current={last ? "location" : undefined}
      onClick={onGo}
      className={`truncate rounded-[5px] px-1 py-0.5 font-semibold hover:bg-well ${last ? "" : "text-ink-2"}`}
    >
      {name}
    </button>
  );
}

function Glyph({ row }: { row: Row }) {
  const kind = row.kind === "folder" ? "folder" : row.files.kind;
  const Icon = { folder: Folder, frames: Images, clip: Clapperboard, archive: FileArchive }[kind];
  return <Icon size={16} aria-hidden className={kind === "folder" ? "text-jay-deep" : "text-ink-2"} />;
}

/** What names and the first header tell of a sequence, in columns. */
function Facts({ files }: { files: Listed }) {
  const { first, last, width, height, missing } = files;
  return (
    <span className="grid grid-cols-[auto_92px_104px_96px_76px_84px] items-center gap-x-3 text-right text-ink-2">
      <span>{missing > 0 && <Mark verdict="look" word={`${missing} missing`} />}</span>
      <span>{count(files.count, files.kind === "frames" ? "frame" : files.kind)}</span>
      <span className="figure">
        {first === null ? "" : first === last ? first : `${first} to ${last ?? ""}`}
      </span>
      <span className="figure">{width === null ? "" : `${width} × ${height ?? ""}`}</span>
      <span className="figure">{size(files.bytes)}</span>
      <span>{ago(new Date(files.written * 1000).toISOString(), Date.now())}</span>
    </span>
  );
}
