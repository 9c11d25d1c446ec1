// Frames rendered again, laid over those that are there: the same numbers are replaced, all edits stay.

import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, data, type Renewed } from "../../api/client";
import { count } from "../../format";
import { chosenFiles, send, type Brought, type Reading } from "../../shelf/bring";
import { Button, Mark } from "../../ui/controls";
import { useContact } from "../contact";
import type { Bench } from "../edits";
import { arranged } from "../order";
import { useSource } from "../source";
import { SourceFolder } from "./SourceFolder";

type Standing =
  | { kind: "idle" }
  | { kind: "sending"; done: number; total: number }
  | { kind: "done"; renewed: Renewed }
  | { kind: "failed"; why: string };

export function Renew({ bench }: { bench: Bench }) {
  const queries = useQueryClient();
  const [standing, setStanding] = useState<Standing>({ kind: "idle" });
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const abort = useRef<AbortController | null>(null);
  const { id } = bench.project;
  const source = useSource(bench.project);

  const take = async (brought: Brought[]) => {
    abort.current = new AbortController();
    const { signal } = abort.current;
    setStanding({ kind: "sending", done: 0, total: brought.length });
    try {
      const renewed = await renew(id, brought, queries, signal, (done) =>
        setStanding({ kind: "sending", done, total: brought.length }),
      );
      setStanding({ kind: "done", renewed });
    } catch (error) {
      if (signal.aborted) setStanding({ kind: "idle" });
      else
        setStanding({
          kind: "failed",
          why: error instanceof Error ? error.message : String(error),
        });
    }
  };
  const chosen = (list: FileList | null) => void take(chosenFiles(list));
  return (
    // What is done many times a day stays in sight below the longest report.
    <div className="sticky -bottom-3 -mx-3.5 -mb-3 flex flex-col gap-1.5 border-t border-line bg-card px-3.5 pt-2.5 pb-3">
      {source && <SourceFolder bench={bench} source={source} />}
      <h3 className="font-semibold">Replace frames</h3>
      {!source && (
        <p className="text-xs text-ink-2">
          By newer renders, known by name, number or content. All edits stay.
        </p>
      )}
      <input
        ref={files}
        type="file"
        multiple
        hidden
        aria-label="Newer frames"
        onChange={(event) => {
          chosen(event.target.files);
          event.target.value = "";
        }}
      />
      <input
        ref={folder}
        type="file"
        hidden
        aria-label="Folder of newer frames"
        {...{ webkitdirectory: "" }}
        onChange={(event) => {
          chosen(event.target.files);
          event.target.value = "";
        }}
      />
      {standing.kind === "sending" ? (
        <span role="status" className="flex items-center gap-2">
          <span className="figure grow">
            {standing.done} of {standing.total}
          </span>
          <Button onClick={() => abort.current?.abort()}>Cancel</Button>
        </span>
      ) : (
        <span className="flex flex-wrap gap-1.5">
          <Button onClick={() => folder.current?.click()}>Choose a folder…</Button>
          <Button onClick={() => files.current?.click()}>Choose files…</Button>
        </span>
      )}
      {standing.kind === "failed" && (
        <p role="alert">
          <Mark verdict="stop" word="Not replaced" /> {standing.why}
        </p>
      )}
      {standing.kind === "done" && (
        <p role="status" aria-label="Replaced" className="flex flex-col items-start gap-1">
          <Mark verdict="fine" word="replaced" />
          <span>{inWords(standing.renewed)}</span>
          {standing.renewed.changed.length > 0 && (
            <button
              type="button"
              className="text-xs font-medium text-jay-deep hover:underline"
              onClick={() => {
                const order = arranged(bench.recipe.rhythm, bench.project.frames);
                const places = standing.renewed.changed.map((position) => order.indexOf(position) + 1);
                useContact.setState({
                  open: true,
                  chosen: new Set(places.filter(Boolean)),
                  focus: places[0] ?? 1,
                });
              }}
            >
              Show what changed
            </button>
          )}
        </p>
      )}
    </div>
  );
}

/** Lay newer frames over a project's; `sent` is told how many files went so far. */
export async function renew(
  project: string,
  files: readonly Brought[],
  queries: QueryClient,
  signal: AbortSignal,
  sent: (done: number) => void,
  how: Reading = {},
): Promise<Renewed> {
  const { id } = await send(files, signal, (_, taken) => sent(taken.length), how);
  const renewed = await data<Renewed>(
    api.POST("/api/projects/{project_id}/renew", {
      params: { path: { project_id: project } },
      body: { import_id: id },
      signal,
    }),
  );
  await queries.refetchQueries({ queryKey: ["project", project] });
  return renewed;
}

export function inWords({ same, replaced, added, old }: Renewed): string {
  return [
    `${count(replaced, "frame")} replaced`,
    added > 0 ? `${added} new` : "",
    same > 0 ? `${same} as they were` : "",
    old > 0 ? `${old} not brought, kept` : "",
  ]
    .filter(Boolean)
    .join(", ");
}
