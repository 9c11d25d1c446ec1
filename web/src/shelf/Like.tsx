// Settings that new projects begin with: those of one that is there, looked at before they are taken.

import { useQuery } from "@tanstack/react-query";
import { api, data, type Choice, type ProjectCard, type SequenceNotes } from "../api/client";
import { count } from "../format";
import { Mark } from "../ui/controls";

type Settings = NonNullable<Choice["like"]>;

export function Like({
  importId,
  like,
  onLike,
}: {
  importId: string;
  like: Choice["like"];
  onLike: (like: Settings | null) => void;
}) {
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => data<ProjectCard[]>(api.GET("/api/projects")),
  });
  const notes = useQuery({
    queryKey: ["like", importId, like],
    enabled: like !== null,
    retry: false,
    queryFn: ({ signal }) =>
      data<SequenceNotes[]>(
        api.POST("/api/imports/{import_id}/settings", {
          params: { path: { import_id: importId } },
          body: like ?? { project_id: null, recipe: null, settings: [] },
          signal,
        }),
      ),
  });
  const said = like === null ? [] : (notes.data ?? []);
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
              target.value
                ? { project_id: target.value, recipe: null, settings: ["rhythm", "framing", "outputs"] }
                : null,
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
              <Mark verdict="look" word={`${count(said.length, "sequence")} cannot take all`} />
            </summary>
            <ul
              aria-label="What is not taken"
              className="absolute bottom-full left-0 z-20 mb-1 max-h-[200px] w-[380px] overflow-y-auto rounded-[8px] border border-line bg-card p-2.5 shadow-xl"
            >
              {said.map(({ pattern, notes }) => (
                <li key={pattern}>
                  <span className="font-semibold">{pattern}</span>: {notes.join("; ")}
                </li>
              ))}
            </ul>
          </details>
        )
      )}
    </span>
  );
}
