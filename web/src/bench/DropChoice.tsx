// Frames dropped on an open project: newer ones, more of them, or something else? Asked, never guessed.

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { create } from "zustand";
import { api, data, type ImportDone } from "../api/client";
import { count } from "../format";
import { bring, send, type Brought } from "../shelf/bring";
import { Button } from "../ui/controls";
import { tell, tellError } from "../ui/notices";
import type { Bench } from "./edits";
import { inWords, renew } from "./panels/Renew";

/** What was dropped on the bench and waits for an answer. */
export const useDropped = create<{ files: readonly Brought[] }>(() => ({ files: [] }));

export function DropChoice({ bench }: { bench: Bench }) {
  const files = useDropped((state) => state.files);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [sent, setSent] = useState<number | null>(null);
  const abort = useRef<AbortController | null>(null);
  const first = useRef<HTMLButtonElement>(null);
  const { id, name } = bench.project;
  useEffect(() => () => useDropped.setState({ files: [] }), [id]);
  useEffect(() => {
    if (files.length > 0) first.current?.focus();
  }, [files]);
  if (files.length === 0) return null;

  const over = () => {
    abort.current = null;
    setSent(null);
    useDropped.setState({ files: [] });
  };
  const work = async (act: (signal: AbortSignal) => Promise<void>) => {
    abort.current = new AbortController();
    const { signal } = abort.current;
    setSent(0);
    try {
      await act(signal);
    } catch (error) {
      if (!signal.aborted) tellError(error);
    }
    over();
  };
  const newer = () =>
    work(async (signal) => {
      const renewed = await renew(id, files, queries, signal, setSent);
      tell(`Frames replaced: ${inWords(renewed)}.`);
    });
  const append = () =>
    work(async (signal) => {
      const { id: importId } = await send(files, signal, (_, taken) => setSent(taken.length));
      const made = await data<ImportDone>(
        api.POST("/api/imports/{import_id}/finish", {
          params: { path: { import_id: importId } },
          body: null,
          signal,
        }),
      );
      // They come as projects of their own, whose frames are taken over; then these are not needed any more.
      for (const project of made.projects) {
        if (!(await bench.join(project.id))) return; // what came stays on the shelf
        await data(api.DELETE("/api/projects/{project_id}", { params: { path: { project_id: project.id } } }));
      }
      await queries.invalidateQueries({ queryKey: ["shelf"] });
    });
  const apart = () => {
    over();
    void navigate("/");
    void bring(files, queries).then((done) => {
      if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
    });
  };
  return (
    <div
      role="dialog"
      aria-label="What to do with the dropped files"
      className="fixed top-[148px] left-1/2 z-40 flex w-[460px] -translate-x-[75%] flex-col gap-2.5 rounded-[12px] border border-jay bg-card p-4 shadow-xl"
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") over();
      }}
    >
      <h2 className="text-[15px] font-bold">
        {count(files.length, "file")} dropped on “{name}”
      </h2>
      {sent === null ? (
        <>
          <ul className="flex flex-col gap-2">
            {(
              [
                [
                  "Replace frames",
                  "Newer versions take the place of frames with the same name or number.",
                  newer,
                ],
                ["Append", "They follow the frames that are here. Undo leads back.", append],
                ["New project", "This one stays as it is.", apart],
              ] as const
            ).map(([label, what, act], index) => (
              <li key={label} className="flex items-center gap-3">
                <Button
                  ref={index === 0 ? first : undefined}
                  className="w-[124px] shrink-0"
                  onClick={() => void act()}
                >
                  {label}
                </Button>
                <span className="text-ink-2">{what}</span>
              </li>
            ))}
          </ul>
          <Button look="quiet" className="self-end" onClick={over}>
            Cancel
          </Button>
        </>
      ) : (
        <p role="status" className="flex items-center justify-between">
          <span>
            <span className="figure">
              {sent} of {files.length}
            </span>{" "}
            sent
          </span>
          <Button onClick={() => abort.current?.abort()}>Cancel</Button>
        </p>
      )}
    </div>
  );
}
