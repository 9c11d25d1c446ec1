// Settings that new projects begin with: those of one that is there, looked at before they are taken.

import { useQuery } from "@tanstack/react-query";
import { api, data, type Choice, type ProjectCard, type ProjectNotes } from "../api/client";
import { ALL_SETTINGS } from "../bench/settings";
import { count } from "../format";
import { Mark } from "../ui/controls";

type Settings = NonNullable<Choice["like"]>;
/** A project that may be made: of which sequences, and how the page calls it. */
export interface Meant {
  label: string;
  patterns: string[];
}
/** Milliseconds without another change after which it is asked. */
const PAUSE = 200;

export function Like({
  importId,
  meant,
  like,
  onLike,
}: {
  importId: string;
  meant: readonly Meant[];
  like: Choice["like"];
  onLike: (like: Settings | null) => void;
}) {
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => data<ProjectCard[]>(api.GET("/api/projects")),
  });
  const projects = meant.map(({ patterns }) => ({ patterns, name: null, separate: false }));
  const notes = useQuery({
    queryKey: ["like", importId, like, projects],
    enabled: like !== null && projects.length > 0,
    retry: false,
    queryFn: async ({ signal }) => {
      await new Promise((resolve) => setTimeout(resolve, PAUSE));
      signal.throwIfAborted();
      return data<ProjectNotes[]>(
        api.POST("/api/imports/{import_id}/settings", {
          params: { path: { import_id: importId } },
          body: { projects, like },
          signal,
        }),
      );
    },
  });
  const said = meant
    .map(({ label }, at) => ({ label, notes: (like && notes.data?.[at]?.notes) || [] }))
    .filter(({ notes }) => notes.length > 0);
  if (!shelf.data || shelf.data.length === 0) return null;
  return (
    <span className="ml-2 flex min-w-0 items-center gap-2">
      <label className="flex items-center gap-2">
        <span className="text-ink-2">like</span>
        <select
          aria-label="Like"
          value={like?.project_id ?? ""}
          onChange={({ target }) =>
            onLike(
              target.value ? { project_id: target.value, recipe: null, settings: [...ALL_SETTINGS] } : null,
            )
          }
          className="h-[30px] max-w-[200px] rounded-[7px] border border-line bg-card px-2 text-ink"
        >
          <option value="">no other project</option>
          {shelf.data.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      </label>
      {notes.error ? (
        <Mark verdict="stop" word={notes.error.message} />
      ) : (
        said.length > 0 && (
          <details className="relative text-xs">
            <summary className="cursor-pointer">
              <Mark verdict="look" word={`${count(said.length, "project")} cannot take every setting`} />
            </summary>
            <ul
              aria-label="What is not taken"
              className="absolute bottom-full left-0 z-20 mb-1 max-h-[200px] w-[380px] overflow-y-auto rounded-[8px] border border-line bg-card p-2.5 shadow-xl"
            >
              {said.map(({ label, notes }, at) => (
                <li key={at}>
                  <span className="font-semibold">{label}</span>: {notes.join("; ")}
                </li>
              ))}
            </ul>
          </details>
        )
      )}
    </span>
  );
}
