// Bringing frames in: collecting what was dropped, sending it in batches, telling how it went.

import type { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import {
  api,
  ApiError,
  data,
  describeProblem,
  type FileTaken,
  type ImportDone,
  type ImportStarted,
  type Limits,
} from "../api/client";
import { size } from "../format";

interface Bringing {
  /** Files sent, of how many; null when nothing is on its way. */
  progress: { done: number; total: number } | null;
  /** What the last drop brought. */
  last: { files: number; done: ImportDone; refused: FileTaken[] } | null;
  error: string;
}

export const useBringing = create<Bringing>(() => ({ progress: null, last: null, error: "" }));

const BATCH_FILES = 16;
const BATCH_BYTES = 24 * 1024 * 1024;
const TRIES = 4;
let abort: AbortController | undefined;

export function cancelBringing(): void {
  abort?.abort();
}

/** All files of a drop, folders opened. Hidden files are what systems leave behind, never frames. */
export async function filesOf(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const files = entries.length > 0 ? (await Promise.all(entries.map(walk))).flat() : [...transfer.files];
  return withoutHidden(files);
}

export function withoutHidden(files: readonly File[]): File[] {
  return files.filter((file) => !file.name.startsWith(".") && !/^(thumbs\.db|desktop\.ini)$/i.test(file.name));
}

async function walk(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    return [await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
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
  if (files.length === 0) return "There are no files here. Drop numbered PNG frames, or a folder of them.";
  if (files.length > limits.most_files)
    return `${files.length} files are more than the ${limits.most_files} that one import takes. Bring them in parts, or thin them out first.`;
  if (bytes > limits.most_import_bytes)
    return `${size(bytes)} are more than the ${size(limits.most_import_bytes)} that one import takes. Bring the frames in parts.`;
  return "";
}

export function batches<T extends Pick<File, "size">>(files: readonly T[]): T[][] {
  const result: T[][] = [];
  let bytes = 0;
  for (const file of files) {
    const current = result.at(-1);
    if (current && current.length < BATCH_FILES && bytes + file.size <= BATCH_BYTES) {
      current.push(file);
      bytes += file.size;
    } else {
      result.push([file]);
      bytes = file.size;
    }
  }
  return result;
}

/** Bring the files in; returns the projects they made, or null when it failed or was called off. */
export async function bring(files: readonly File[], queries: QueryClient): Promise<ImportDone | null> {
  if (useBringing.getState().progress) return null;
  abort = new AbortController();
  const { signal } = abort;
  useBringing.setState({ progress: { done: 0, total: files.length }, error: "", last: null });
  try {
    const limits = await data<Limits>(api.GET("/api/limits", { signal }));
    const no = refusal(files, limits);
    if (no) {
      useBringing.setState({ error: no });
      return null;
    }
    const { id } = await data<ImportStarted>(api.POST("/api/imports", { signal }));
    const taken: FileTaken[] = [];
    const waiting = batches(files);
    const lane = async () => {
      for (let batch = waiting.shift(); batch; batch = waiting.shift()) {
        taken.push(...(await sendBatch(id, batch, signal)));
        useBringing.setState({ progress: { done: taken.length, total: files.length } });
      }
    };
    await Promise.all([lane(), lane()]);
    const done = await data<ImportDone>(
      api.POST("/api/imports/{import_id}/finish", { params: { path: { import_id: id } }, signal }),
    );
    useBringing.setState({ last: { files: files.length, done, refused: taken.filter((file) => !file.taken) } });
    await queries.invalidateQueries({ queryKey: ["shelf"] });
    return done;
  } catch (error) {
    if (!signal.aborted)
      useBringing.setState({
        error: error instanceof ApiError ? describeProblem(error.problem) : String(error),
      });
    abort.abort();
    return null;
  } finally {
    useBringing.setState({ progress: null });
  }
}

async function sendBatch(importId: string, batch: readonly File[], signal: AbortSignal): Promise<FileTaken[]> {
  for (let tries = 1; ; tries += 1) {
    try {
      return await data<FileTaken[]>(
        api.POST("/api/imports/{import_id}/files", {
          params: { path: { import_id: importId } },
          body: { files: [] },
          bodySerializer: () => {
            const form = new FormData();
            for (const file of batch) form.append("files", file, file.name);
            return form;
          },
          signal,
        }),
      );
    } catch (error) {
      if (!(error instanceof ApiError && error.passing) || tries >= TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, 500 * tries));
    }
  }
}
