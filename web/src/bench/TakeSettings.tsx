// Settings of another project, or of a recipe that was saved as a file, looked at before they are taken.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { FileDown, FolderOpen } from "lucide-react";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { create } from "zustand";
import { api, data, type ProjectCard, type Recipe, type SettingsInfo } from "../api/client";
import { Button, Checkbox } from "../ui/controls";
import { tell, tellError } from "../ui/notices";
import { useFocusBack } from "../ui/refocus";
import type { Bench } from "./edits";
import { ALL_SETTINGS, SETTINGS } from "./settings";

export const useTaking = create<{ open: boolean }>(() => ({ open: false }));

/** Where settings come from. */
type Source = { project: string; name: string } | { recipe: Recipe; name: string };

export function TakeSettings({ bench }: { bench: Bench }) {
  const open = useTaking((state) => state.open);
  return (
    <Dialog.Root modal={false} open={open} onOpenChange={(now) => useTaking.setState({ open: now })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(event) => event.preventDefault()}
          onKeyDown={(event) => event.stopPropagation()}
          className="fixed top-[132px] left-1/2 z-40 flex max-h-[calc(100vh-150px)] w-[460px] -translate-x-1/2 flex-col gap-3 overflow-y-auto rounded-[12px] border border-jay bg-card p-4 shadow-xl"
        >
          <Dialog.Title className="text-[15px] font-bold">Take settings</Dialog.Title>
          <Choice bench={bench} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Choice({ bench }: { bench: Bench }) {
  useFocusBack();
  const { id, revision } = bench.project;
  const [from, setFrom] = useState<Source | null>(null);
  const [wanted, setWanted] = useState(ALL_SETTINGS);
  const file = useRef<HTMLInputElement>(null);
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => data<ProjectCard[]>(api.GET("/api/projects")),
  });
  const others = shelf.data?.filter((project) => project.id !== id) ?? [];
  const found = useQuery({
    queryKey: ["settings", id, revision.id, from, wanted],
    enabled: from !== null && wanted.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      data<SettingsInfo>(
        api.POST("/api/projects/{project_id}/settings", {
          params: { path: { project_id: id } },
          body: {
            project_id: from && "project" in from ? from.project : null,
            recipe: from && "recipe" in from ? from.recipe : null,
            settings: [...wanted],
          },
          signal,
        }),
      ),
  });
  const close = () => useTaking.setState({ open: false });
  useEffect(() => close, [id]);
  const ready =
    from !== null && wanted.length > 0 && found.data !== undefined && !found.isFetching && !found.error;
  const take = () => {
    const settings = found.data?.recipe;
    if (!ready || !settings) return;
    bench.edit(`Settings of ${from.name}`, (recipe) => ({
      ...recipe,
      ...Object.fromEntries(wanted.map((setting) => [setting, settings[setting]])),
      gather: recipe.gather,
    }));
    bench.release();
    tell(`Settings taken from ${from.name}. Undo brings back what was here.`);
    close();
  };
  const opened = async (chosen: File) => {
    try {
      setFrom({ recipe: JSON.parse(await chosen.text()) as Recipe, name: chosen.name });
    } catch {
      tellError(new Error(`${chosen.name} is not a recipe; open one that was saved here`));
    }
  };
  const save = () => {
    const link = document.createElement("a");
    const text = `${JSON.stringify(bench.recipe, null, 2)}\n`;
    link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
    link.download = `${bench.project.name}.json`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  };
  return (
    <>
      <span className="flex gap-1.5">
        <select
          aria-label="Take from"
          value={from && "project" in from ? from.project : ""}
          onChange={({ target }) => {
            const other = others.find((project) => project.id === target.value);
            setFrom(other ? { project: other.id, name: other.name } : null);
          }}
          className="h-[30px] min-w-0 grow rounded-[7px] border border-line bg-card px-2 text-ink"
        >
          <option value="">{from && "recipe" in from ? from.name : "Choose a project"}</option>
          {others.map((project) => (
            <option key={project.id} value={project.id}>
              {project.name}
            </option>
          ))}
        </select>
        <Button onClick={() => file.current?.click()}>
          <FolderOpen size={14} /> Open recipe
        </Button>
        <input
          ref={file}
          type="file"
          accept=".json,application/json"
          aria-label="Recipe file"
          className="hidden"
          onChange={({ target }) => {
            if (target.files?.[0]) void opened(target.files[0]);
            target.value = "";
          }}
        />
      </span>
      <fieldset className="flex flex-col gap-1">
        <legend className="sr-only">What is taken</legend>
        {SETTINGS.map(([setting, label, what]) => (
          <span key={setting} className="flex items-center gap-2">
            <Checkbox
              label={label}
              checked={wanted.includes(setting)}
              onChange={(on) =>
                setWanted(ALL_SETTINGS.filter((one) => (one === setting ? on : wanted.includes(one))))
              }
            />
            <span className="text-xs text-ink-2">{what}</span>
          </span>
        ))}
      </fieldset>
      <p className="text-xs text-ink-2">
        Frames left out, gaps, spans and how frames are lined up stay as they are here.
      </p>
      <div
        role="status"
        aria-label="What is not taken"
        className={`min-h-[18px] text-xs ${found.isFetching ? "opacity-60" : ""}`}
      >
        {found.error ? (
          <span className="text-stop">{found.error.message}</span>
        ) : found.data && from && wanted.length > 0 ? (
          found.data.notes.length === 0 ? (
            "Everything chosen can be taken."
          ) : (
            <ul className="list-disc pl-4">
              {found.data.notes.map((note) => (
                <li key={note}>{note}</li>
              ))}
            </ul>
          )
        ) : null}
      </div>
      <span className="flex items-center gap-2">
        <Button look="strong" disabled={!ready} onClick={take}>
          {wanted.length === SETTINGS.length ? "Take all" : `Take ${wanted.length} of ${SETTINGS.length}`}
        </Button>
        <Button look="quiet" onClick={close}>
          Cancel
        </Button>
        <span className="grow" />
        <Button look="quiet" onClick={save}>
          <FileDown size={14} /> Save recipe
        </Button>
      </span>
    </>
  );
}
