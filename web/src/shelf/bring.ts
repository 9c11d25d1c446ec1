// Bringing frames in: collecting what was dropped, sending it in batches, sorting it, telling how it went.

import type { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import {
  api,
  ApiError,
  data,
  type Choice,
  type ClipInfo,
  type FileTaken,
  type ImportDone,
  type ImportReport,
  type ImportStarted,
  type Limits,
  type OpenedInPlace,
  type OpenInPlace,
} from "../api/client";
import { count, roughly, size } from "../format";
import { tellError } from "../ui/notices";

/** A file with its folders: `walk/0001.png`. */
export interface Brought {
  file: File;
  path: string;
  /** The folder that all of a drop lay in, if there was one. */
  folder?: string;
}

interface Bringing {
  /** Files sent, of how many; null when nothing is on its way. */
  progress: { done: number; total: number; importId: string } | null;
  /** What the newest frames look like, while they come in. */
  newest: string[];
  /** Clips that came and wait until it is said what is taken of them, the first of them first. */
  cutting: { importId: string; clips: ClipInfo[]; files: number; frames: number; refused: FileTaken[] } | null;
  /** What came, when it is more than one sequence and has yet to be sorted. */
  sorting: { importId: string; report: ImportReport; files: number; refused: FileTaken[] } | null;
  /** What the last drop brought. */
  last: { files: number; done: ImportDone; refused: FileTaken[] } | null;
  /** Sequences of the last drop that were not taken, and still can be. */
  rest: number;
  /** Files that took too long to read, by the names they are reported under: they can be read again. */
  slow: ReadonlyMap<string, Brought>;
  error: string;
}

/** How files are read: clips may wait to be cut, and a file may be given more time. */
export interface Reading {
  holdClips?: boolean;
  patient?: boolean;
}

const NOTHING: Bringing = {
  progress: null,
  newest: [],
  cutting: null,
  sorting: null,
  last: null,
  rest: 0,
  slow: new Map(),
  error: "",
};

export const useBringing = create<Bringing>(() => NOTHING);

const BATCH_FILES = 32;

/** For so long, in ms, files are looked at before the page has its turn. */
const AT_ONCE = 20;
/** Requests on their way side by side. */
const LANES = 4;
const BATCH_BYTES = 24 * 1024 * 1024;
/** In ms; a minute passes, all waits together, before it is given up. */
const LONGEST_WAIT = 32_000;
const NEWEST = 5;
let abort: AbortController | undefined;

export function cancelBringing(): void {
  abort?.abort();
}

/** All files of a drop, folders opened. */
export async function filesOf(transfer: DataTransfer): Promise<Brought[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const files =
    entries.length > 0
      ? (await Promise.all(entries.map(walk))).flat()
      : [...transfer.files].map((file) => ({ file, path: file.name }));
  return tidied(files);
}

/** The files of a chooser, with their folders if it chose one. */
export function chosenFiles(list: FileList | null): Brought[] {
  return tidied([...(list ?? [])].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
}

/**
 * Without what systems hide in folders, which is never a frame; and without the folders that all have in
 * common, so that a name has no more folders than it takes to tell the files apart.
 */
export function tidied<T extends { path: string }>(files: readonly T[]): (T & { folder?: string })[] {
  const kept = files
    .map((one) => ({ ...one, path: one.path.replace(/^\/+/, "") }))
    .filter(({ path }) => {
      const parts = path.split("/");
      return !parts.some((part) => part.startsWith(".") || /^(thumbs\.db|desktop\.ini|__MACOSX)$/i.test(part));
    });
  const folders = kept.map(({ path }) => path.split("/").slice(0, -1));
  const first = folders[0] ?? [];
  let common = first.findIndex((part, index) => folders.some((folder) => folder[index] !== part));
  if (common < 0) common = first.length;
  const folder = first[common - 1];
  return kept.map((one) => ({
    ...one,
    path: one.path.split("/").slice(common).join("/"),
    ...(folder === undefined ? {} : { folder }),
  }));
}

/** What a project is called by the folder its frames lay in; null where that is said of any frames. */
export function nameBy(folder: string | undefined): string | null {
  const words = (folder ?? "").replace(/[\s_.\-*]+/g, " ").trim();
  const any =
    /^(frames?|renders?|rendered|in(put)?|out(put)?|sources?|exports?|images?|img|pictures?|seq(uences?)?|png|tga|tiff?|downloads?|desktop|documents|temp|tmp|new folder|untitled folder)$/i;
  if (!/\p{L}/u.test(words) || any.test(words)) return null;
  return (words.charAt(0).toUpperCase() + words.slice(1)).slice(0, 80);
}

async function walk(entry: FileSystemEntry): Promise<Brought[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) =>
      (entry as FileSystemFileEntry).file(resolve, reject),
    );
    return [{ file, path: entry.fullPath }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: Brought[] = [];
  for (;;) {
    // A reader hands out a hundred entries at a time.
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return found;
    for (const one of some) found.push(...(await walk(one)));
  }
}

/** Why the files cannot be brought, before any of them is sent. */
export function refusal(files: readonly Pick<File, "size">[], limits: Limits): string {
  const bytes = files.reduce((sum, file) => sum + file.size, 0);
  if (files.length === 0)
    return "There are no files here. Drop frames, a folder of them, an archive or a clip.";
  if (files.length > limits.most_files)
    return `${files.length} files are too many: one import takes up to ${limits.most_files}. Import them in parts, or thin them out first.`;
  if (bytes > limits.most_import_bytes)
    return `${size(bytes)} are too much: one import takes up to ${size(limits.most_import_bytes)}. Import the frames in parts.`;
  return "";
}

/** Batches to be sent one after the other: the first are small, so that something is seen soon. */
export function batches<T extends { file: Pick<File, "size"> }>(files: readonly T[]): T[][] {
  const result: T[][] = [];
  let bytes = 0;
  for (const one of files) {
    const current = result.at(-1);
    if (
      current &&
      current.length < Math.min(BATCH_FILES, 2 ** result.length) &&
      bytes + one.file.size <= BATCH_BYTES
    ) {
      current.push(one);
      bytes += one.file.size;
    } else {
      result.push([one]);
      bytes = one.file.size;
    }
  }
  return result;
}

/**
 * Bring the files in; returns the projects they made. Null when it failed or was called off, or when there are
 * several sequences, which somebody has to sort first.
 */
export function bring(files: readonly Brought[], queries: QueryClient): Promise<ImportDone | null> {
  return take(files.length, queries, async (signal) => {
    const { id, taken } = await send(
      files,
      signal,
      (importId, so) => {
        useBringing.setState({ progress: { done: so.length, total: files.length, importId } });
        saw(...so.slice(-BATCH_FILES).map((file) => file.picture));
      },
      { holdClips: true },
    );
    remember(files, taken);
    return { id, taken, folder: files[0]?.folder };
  });
}

/** Open files of this machine where they lie; like `bring`. `follow`: frames are taken in as they come. */
export function openHere(
  choice: OpenInPlace,
  follow: boolean,
  queries: QueryClient,
): Promise<ImportDone | null> {
  return take(0, queries, async (signal) => {
    const { id } = await data<ImportStarted>(api.POST("/api/imports", { signal }));
    useBringing.setState({ progress: { done: 0, total: 0, importId: id } });
    const { folder, files } = await data<OpenedInPlace>(
      api.POST("/api/imports/{import_id}/folder", {
        params: { path: { import_id: id }, query: { hold_clips: true } },
        body: choice,
        signal,
      }),
    );
    sessionStorage.setItem(FOLLOWED, follow ? id : "");
    return { id, taken: files, folder };
  });
}

/** Have files read into an import that is left open, then go on with it: to clips that wait, to sorting, to projects. */
async function take(
  total: number,
  queries: QueryClient,
  read: (signal: AbortSignal) => Promise<{ id: string; taken: FileTaken[]; folder?: string }>,
): Promise<ImportDone | null> {
  if (useBringing.getState().progress) return null;
  abort = new AbortController();
  const { signal } = abort;
  useBringing.setState({ ...NOTHING, progress: { done: 0, total, importId: "" } });
  try {
    sessionStorage.removeItem(UNSORTED);
    const { id, taken, folder } = await read(signal);
    const refused = taken.filter((file) => file.problem);
    const frames = taken.reduce((sum, file) => sum + file.frames, 0);
    const clips = taken.flatMap((file) => (file.clip ? [file.clip] : []));
    if (clips.length > 0) {
      useBringing.setState({ cutting: { importId: id, clips, files: taken.length, frames, refused } });
      return null;
    }
    return await settle(id, taken.length, frames, refused, queries, { signal, folder });
  } catch (error) {
    if (!signal.aborted) fail(error);
    abort.abort();
    return null;
  } finally {
    useBringing.setState({ progress: null, newest: [] });
  }
}

/** The import whose projects are to follow the folders they were opened in; it may be sorted after a reload. */
const FOLLOWED = "jayflick-followed";

/** All is there: it becomes projects, unless there are several sequences, which somebody has to sort first. */
async function settle(
  importId: string,
  files: number,
  frames: number,
  refused: FileTaken[],
  queries: QueryClient,
  { signal, folder }: { signal: AbortSignal; folder?: string },
): Promise<ImportDone | null> {
  let choice: Choice | null = null;
  if (frames > 0) {
    const report = await data<ImportReport>(
      api.GET("/api/imports/{import_id}", { params: { path: { import_id: importId } }, signal }),
    );
    if (report.sequences.length > 1 && report.project === null) {
      useBringing.setState({ sorting: { importId, report, files, refused } });
      sessionStorage.setItem(UNSORTED, JSON.stringify({ importId, files, refused }));
      return null;
    }
    const name = nameBy(folder);
    const [sequence] = report.sequences;
    if (name !== null && sequence && report.project === null)
      choice = { projects: [{ patterns: [sequence.pattern], name, separate: false }] };
  }
  return finish(importId, choice, files, refused, queries, signal);
}

/** Keep at hand what took too long to read: it can be read again with patience. */
function remember(files: readonly Brought[], taken: readonly FileTaken[]): void {
  const names = new Set(taken.filter(({ problem }) => problem?.kind === "slow").map(({ name }) => name));
  useBringing.setState({
    slow: new Map(files.filter(({ path }) => names.has(path)).map((one) => [one.path, one])),
  });
}

const UNSORTED = "jayflick-unsorted";

/** Nothing of what was found is wanted. */
export function dropSorting(): void {
  sessionStorage.removeItem(UNSORTED);
  useBringing.setState({ sorting: null });
}

/** What this window had still to sort when it was reloaded; what was left over waits until it is asked for. */
export async function resumeSorting(asked = false): Promise<void> {
  const { sorting, progress } = useBringing.getState();
  const text = sessionStorage.getItem(UNSORTED);
  if (!text || sorting || progress) return;
  try {
    const { importId, files, refused, rest } = JSON.parse(text) as {
      importId: string;
      files: number;
      refused: FileTaken[];
      rest?: number;
    };
    if (rest && !asked) {
      useBringing.setState({ rest });
      return;
    }
    const report = await data<ImportReport>(
      api.GET("/api/imports/{import_id}", { params: { path: { import_id: importId } } }),
    );
    useBringing.setState({ sorting: { importId, report, files, refused }, rest: 0 });
  } catch (error) {
    sessionStorage.removeItem(UNSORTED); // it was finished elsewhere, or cleared away
    useBringing.setState({ rest: 0 });
    if (asked) fail(error);
  }
}

/** Take what is wanted of the first clip that waits, or nothing; after the last one all goes on. */
export async function cutClip(
  wish: { first: number; last: number; step: number } | null,
  queries: QueryClient,
): Promise<ImportDone | null> {
  const { cutting } = useBringing.getState();
  const clip = cutting?.clips[0];
  if (!cutting || !clip) return null;
  abort = new AbortController();
  const { signal } = abort;
  const { importId, files, refused } = cutting;
  let { frames } = cutting;
  useBringing.setState({ progress: wish && { done: 0, total: 1, importId }, error: "" });
  try {
    if (wish) {
      const taken = await data<FileTaken>(
        api.POST("/api/imports/{import_id}/clips/{sha256}", {
          params: { path: { import_id: importId, sha256: clip.sha256 } },
          body: wish,
          signal,
        }),
      );
      if (taken.problem) {
        if (taken.frames === 0) throw new ApiError(taken.problem, 422);
        refused.push(taken);
      }
      frames += taken.frames;
    }
    const clips = cutting.clips.slice(1);
    if (clips.length > 0) {
      useBringing.setState({ cutting: { ...cutting, frames, clips } });
      return null;
    }
    useBringing.setState({ cutting: null });
    if (frames === 0) {
      // None was wanted, and nothing else came that can be used.
      const problem = refused[0]?.problem;
      if (problem) fail(new ApiError(problem, 422));
      return null;
    }
    return await settle(importId, files, frames, refused, queries, { signal });
  } catch (error) {
    if (!signal.aborted) fail(error);
    return null;
  } finally {
    useBringing.setState({ progress: null, newest: [] });
  }
}

/**
 * Send files into an import that is left open; `sent` is told of all that went so far, after each batch. Throws, before
 * anything is sent, when they are more than the limits allow.
 */
export async function send(
  files: readonly Brought[],
  signal: AbortSignal,
  sent: (importId: string, taken: readonly FileTaken[]) => void,
  how: Reading = {},
): Promise<{ id: string; taken: FileTaken[] }> {
  const limits = await data<Limits>(api.GET("/api/limits", { signal }));
  await looked(files, signal);
  const no = refusal(
    files.map(({ file }) => file),
    limits,
  );
  if (no) throw new Error(no);
  const { id } = await data<ImportStarted>(api.POST("/api/imports", { signal }));
  const taken: FileTaken[] = [];
  const waiting = batches(files);
  const lane = async () => {
    for (let batch = waiting.shift(); batch; batch = waiting.shift()) {
      taken.push(...(await sendBatch(id, batch, signal, how)));
      sent(id, taken);
    }
  };
  sent(id, taken);
  await Promise.all(Array.from({ length: LANES }, lane));
  return { id, taken };
}

/** Let the browser look at the files: it does so when a size is first asked for, which of thousands takes a second. */
async function looked(files: readonly Brought[], signal: AbortSignal): Promise<void> {
  let pause = performance.now() + AT_ONCE;
  for (const { file } of files) {
    if (file.size >= 0 && performance.now() < pause) continue;
    await new Promise((resolve) => setTimeout(resolve));
    signal.throwIfAborted();
    pause = performance.now() + AT_ONCE;
  }
}

/** Show what just came in. */
export function saw(...pictures: (string | null)[]): void {
  const fresh = pictures.filter((picture) => picture !== null);
  if (fresh.length > 0)
    useBringing.setState(({ newest }) => ({ newest: [...new Set([...newest, ...fresh])].slice(-NEWEST) }));
}

/** Make projects of the sequences that came, as chosen. */
export async function sort(choice: Choice, queries: QueryClient): Promise<ImportDone | null> {
  const { sorting } = useBringing.getState();
  if (!sorting) return null;
  try {
    const { importId, files, refused, report } = sorting;
    const done = await finish(importId, choice, files, refused, queries);
    dropSorting();
    const taken = new Set(choice.projects.flatMap(({ patterns }) => patterns));
    const rest = report.sequences.filter(({ pattern }) => !taken.has(pattern)).length;
    if (rest > 0) sessionStorage.setItem(UNSORTED, JSON.stringify({ importId, files, refused, rest }));
    useBringing.setState({ rest });
    return done;
  } catch (error) {
    fail(error);
    return null;
  }
}

async function finish(
  importId: string,
  choice: Choice | null,
  files: number,
  refused: FileTaken[],
  queries: QueryClient,
  signal?: AbortSignal,
): Promise<ImportDone> {
  const done = await data<ImportDone>(
    api.POST("/api/imports/{import_id}/finish", {
      params: { path: { import_id: importId } },
      body: choice,
      signal,
    }),
  );
  if (sessionStorage.getItem(FOLLOWED) === importId)
    for (const { id } of done.projects)
      await data(
        api.PUT("/api/projects/{project_id}/folder", {
          params: { path: { project_id: id } },
          body: { follows: true },
        }),
      ).catch(tellError);
  useBringing.setState({ last: { files, done, refused }, error: "" });
  await queries.invalidateQueries({ queryKey: ["shelf"] });
  return done;
}

function fail(error: unknown): void {
  const text = error instanceof Error ? error.message : String(error);
  // A file is called what it is called.
  const named = error instanceof ApiError && error.problem.file;
  useBringing.setState({ error: named ? text : text.charAt(0).toUpperCase() + text.slice(1) });
}

/** What is said of the limits before anyone waits. */
export function limitsInWords(limits: Limits): string {
  return `Up to ${count(limits.most_files, "frame")} and ${roughly(limits.most_import_bytes)} at once; a file up to ${roughly(limits.most_file_bytes)}, a frame up to ${Math.round(limits.most_frame_pixels / 1e6)} million pixels.`;
}

async function sendBatch(
  importId: string,
  batch: readonly Brought[],
  signal: AbortSignal,
  { holdClips = false, patient = false }: Reading,
): Promise<FileTaken[]> {
  // Sent again, a file takes the place of what was kept of it before.
  for (let wait = 500; ; wait *= 2) {
    try {
      return await data<FileTaken[]>(
        api.POST("/api/imports/{import_id}/files", {
          params: { path: { import_id: importId }, query: { hold_clips: holdClips, patient } },
          body: { files: [] },
          bodySerializer: () => {
            const form = new FormData();
            for (const { file, path } of batch) {
              form.append("files", file, path);
              form.append("written", String(Math.max(0, file.lastModified)));
            }
            return form;
          },
          signal,
        }),
      );
    } catch (error) {
      if (!(error instanceof ApiError && error.passing) || wait > LONGEST_WAIT) throw error;
      await pause(wait, signal);
    }
  }
}

function pause(ms: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const off = () => {
      clearTimeout(timer);
      reject(new DOMException("called off", "AbortError"));
    };
    const timer = setTimeout(() => {
      signal.removeEventListener("abort", off);
      resolve();
    }, ms);
    signal.addEventListener("abort", off, { once: true });
  });
}
