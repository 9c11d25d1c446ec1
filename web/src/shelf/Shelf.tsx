// The start: a place to drop frames, and one card a project, each playing its real output.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Pause, Play, Rows3 } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import {
  api,
  ApiError,
  data,
  type BinnedProject,
  type Health,
  type ProjectCard,
  type Storage,
} from "../api/client";
import { ago, count, roughly } from "../format";
import { Button, IconButton } from "../ui/controls";
import { useHelp } from "../ui/help";
import { tellError } from "../ui/notices";
import { resumeSorting, useBringing } from "./bring";
import { isTyping, takesKey } from "../ui/focus";
import { Cutting } from "./Cutting";
import { Sorting } from "./Sorting";
import { StandIns } from "./StandIns";
import { Card, useMotion } from "./Card";
import { DropTicket } from "./DropTicket";
import { ThemeButton } from "../ui/ThemeButton";
import { among, NONE } from "../table/choosing";
import { tabulate, useShelfChosen } from "../table/chosen";
import { Progress } from "../table/Progress";
import { useBatching } from "../table/batches";

export function Shelf() {
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => data<ProjectCard[]>(api.GET("/api/projects")),
    retry: (tries, error) => error instanceof ApiError && error.passing && tries < 20,
    retryDelay: 1000,
  });
  const health = useQuery({
    queryKey: ["health"],
    queryFn: () => data<Health>(api.GET("/api/health")),
    refetchInterval: ({ state }) => (state.data?.demo_waiting ? 1000 : false),
  });
  const drawing = health.data?.demo_waiting ?? 0;
  const [wanted, setWanted] = useState("");
  const sorting = useBringing((state) => state.sorting);
  const cutting = useBringing((state) => state.cutting);
  const finder = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const shown = useRef<readonly string[]>([]);
  const moving = useMotion((state) => state.on);
  useEffect(() => void resumeSorting(), []);
  useEffect(() => {
    document.title = "Jay Flick";
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "/" && !takesKey(event.target, "/")) {
        event.preventDefault();
        finder.current?.focus();
      } else if (event.key === "Escape" && !takesKey(event.target, "Escape")) useShelfChosen.setState(NONE);
      else if (
        (event.ctrlKey || event.metaKey) &&
        event.key.toLowerCase() === "a" &&
        !isTyping(event.target) &&
        useShelfChosen.getState().ids.size > 0
      ) {
        event.preventDefault();
        useShelfChosen.setState({ ids: new Set(shown.current), last: null });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  const projects = useMemo(() => {
    // All words of one of the names, which commas tell apart.
    const names = wanted
      .toLowerCase()
      .split(",")
      .map((name) => name.split(/\s+/).filter(Boolean));
    const some = names.filter((words) => words.length > 0);
    return shelf.data?.filter(
      ({ name }) =>
        some.length === 0 || some.some((words) => words.every((word) => name.toLowerCase().includes(word))),
    );
  }, [shelf.data, wanted]);
  const listed = useMemo(() => projects?.map(({ id }) => id) ?? [], [projects]);
  shown.current = listed;
  const openTable = (ids: readonly string[] | null) => {
    tabulate(ids);
    void navigate("/table");
  };
  return (
    <div className="mx-auto flex min-h-full max-w-[1320px] flex-col gap-4 px-6 pb-8">
      <header className="flex h-[52px] items-center gap-3">
        <img src="/mark.svg" alt="" className="size-[30px]" />
        <h1 className="grow text-[17px] font-bold">Jay Flick</h1>
        <label className="relative flex items-center">
          <span className="sr-only">Find a project</span>
          <input
            ref={finder}
            type="search"
            value={wanted}
            onChange={(event) => setWanted(event.target.value)}
            onKeyDown={(event) => {
              const [first] = projects ?? [];
              if (event.key === "Escape") setWanted("");
              else if (event.key === "Enter" && wanted && first) void navigate(`/project/${first.id}`);
            }}
            placeholder="Find a project"
            className="h-[30px] w-[190px] rounded-[7px] border border-line bg-card px-3 placeholder:text-ink-3"
          />
          {!wanted && <kbd className="figure pointer-events-none absolute right-2.5 text-ink-3">/</kbd>}
        </label>
        <IconButton
          tip={moving ? "Stop all pictures" : "Play all pictures"}
          onClick={() => useMotion.setState({ on: !moving })}
        >
          {moving ? <Pause size={14} /> : <Play size={14} />}
        </IconButton>
        <ThemeButton />
        <IconButton tip="Keys" keys="?" onClick={() => useHelp.setState({ open: true })}>
          ?
        </IconButton>
      </header>
      <DropTicket />
      {cutting?.clips[0] && (
        <Cutting
          key={cutting.clips[0].sha256}
          importId={cutting.importId}
          clip={cutting.clips[0]}
          others={cutting.clips.length - 1}
        />
      )}
      {sorting && <Sorting key={sorting.importId} importId={sorting.importId} report={sorting.report} />}
      <Progress onlyOwn />
      <section aria-label="Projects">
        <div className="mb-2 flex items-baseline gap-2.5">
          <h2 className="text-[15px] font-bold">Projects</h2>
          <span className="figure text-ink-2">{projects?.length ?? ""}</span>
          <span className="grow" />
          <span className="text-ink-2">newest change first</span>
          <Button
            className="h-[26px]!"
            disabled={listed.length === 0}
            title="All of them as one table of their outputs"
            onClick={() => openTable(wanted ? listed : null)}
          >
            <Rows3 size={14} /> Table
          </Button>
        </div>
        {shelf.error ? (
          <Empty title="The shelf cannot be shown" text={shelf.error.message}>
            <Button onClick={() => void shelf.refetch()}>Try again</Button>
          </Empty>
        ) : !projects ? (
          <p className="py-12 text-center text-ink-2">Loading projects…</p>
        ) : projects.length === 0 && (wanted || !drawing) ? (
          wanted ? (
            <Empty title={`No project is called “${wanted}”`} text="Part of its name is enough.">
              <Button onClick={() => setWanted("")}>Show all</Button>
            </Empty>
          ) : (
            <Empty
              title="The shelf is empty"
              text="Drop a folder of numbered frames anywhere on this page: each sequence becomes a project, playing its real output."
            />
          )
        ) : (
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(280px,1fr))] gap-4">
            {drawing > 0 && !wanted && (
              <li className="flex min-h-[180px] flex-col items-center justify-center gap-1 rounded-[12px] border border-dashed border-line px-6 text-center">
                <p className="font-semibold" role="status">
                  Drawing the demo: {count(drawing, "project")} left
                </p>
                <p className="text-ink-2">On the first start only. You can drop your own frames meanwhile.</p>
              </li>
            )}
            {projects.map((project) => (
              <Card key={project.id} project={project} listed={listed} />
            ))}
          </ul>
        )}
      </section>
      <ChosenBar listed={listed} onTable={openTable} />
      <StandIns />
      <Bin />
      <Stored />
    </div>
  );
}

/** What is done with the projects that are chosen. */
function ChosenBar({
  listed,
  onTable,
}: {
  listed: readonly string[];
  onTable: (ids: readonly string[]) => void;
}) {
  const chosen = useShelfChosen();
  const picked = among(chosen, listed);
  const { begin } = useBatching();
  if (picked.length === 0) return null;
  return (
    <section
      aria-label="Chosen projects"
      className="fixed bottom-4 left-1/2 z-30 flex -translate-x-1/2 items-center gap-2 rounded-[10px] border border-jay bg-card py-2 pr-2 pl-4 shadow-xl"
    >
      <span role="status" className="mr-1 font-semibold">
        {picked.length} chosen
      </span>
      <Button look="strong" onClick={() => onTable(picked)}>
        Open as a table
      </Button>
      <Button
        disabled={picked.length === listed.length}
        onClick={() => useShelfChosen.setState({ ids: new Set(listed), last: null })}
      >
        All {listed.length}
      </Button>
      <Button
        onClick={() =>
          void begin({ projects: picked, column: "" }, { kind: "delete" }).then((batch) => {
            if (!batch) return;
            useShelfChosen.setState(NONE);
          })
        }
      >
        Delete {picked.length}
      </Button>
      <Button look="quiet" onClick={() => useShelfChosen.setState(NONE)}>
        Clear
      </Button>
    </section>
  );
}

/** How much of the disk all this takes. */
function Stored() {
  const storage = useQuery({
    queryKey: ["shelf", "storage"],
    queryFn: () => data<Storage>(api.GET("/api/storage")),
  });
  if (!storage.data) return null;
  const { bytes, scratch_bytes, most_scratch_bytes } = storage.data;
  return (
    <p className="text-xs text-ink-2">
      On this machine: <span className="figure">{roughly(bytes)}</span> of frames and outputs,{" "}
      <span className="figure">{roughly(scratch_bytes)}</span> of cache (up to{" "}
      <span className="figure">{roughly(most_scratch_bytes)}</span>). Unused files are removed automatically.
    </p>
  );
}

/** What was deleted and can still be restored. */
function Bin() {
  const queries = useQueryClient();
  const bin = useQuery({
    queryKey: ["shelf", "bin"],
    queryFn: () => data<BinnedProject[]>(api.GET("/api/projects/bin")),
  });
  const [sure, setSure] = useState(false);
  if (!bin.data || bin.data.length === 0) return null;
  const reload = () => queries.invalidateQueries({ queryKey: ["shelf"] });
  const day = (iso: string) => new Date(`${iso}Z`).toLocaleDateString("en", { day: "numeric", month: "short" });
  return (
    <details className="rounded-[12px] border border-line bg-card px-4 py-2.5">
      <summary className="cursor-pointer font-semibold">
        Bin <span className="figure text-ink-2">{bin.data.length}</span>
      </summary>
      <ul aria-label="Bin" className="my-2 flex flex-col">
        {bin.data.map((project) => (
          <li key={project.id} className="flex items-center gap-3 border-b border-line/60 py-1">
            <span dir="auto" className="min-w-0 grow truncate font-medium">
              {project.name}
            </span>
            <span className="text-ink-2">
              deleted {ago(project.removed, Date.now())}, kept until {day(project.kept_until)}
            </span>
            <Button
              aria-label={`Restore ${project.name}`}
              onClick={() =>
                void data(
                  api.POST("/api/projects/{project_id}/restore", {
                    params: { path: { project_id: project.id } },
                  }),
                )
                  .then(reload)
                  .catch(tellError)
              }
            >
              Restore
            </Button>
          </li>
        ))}
      </ul>
      {sure ? (
        <span className="flex items-center gap-2">
          Delete {count(bin.data.length, "project")} for good?
          <Button
            onClick={() => {
              setSure(false);
              void data(api.DELETE("/api/projects/bin")).then(reload).catch(tellError);
            }}
          >
            Delete for good
          </Button>
          <Button look="quiet" onClick={() => setSure(false)}>
            Cancel
          </Button>
        </span>
      ) : (
        <Button onClick={() => setSure(true)}>Empty bin</Button>
      )}
    </details>
  );
}

function Empty({ title, text, children }: { title: string; text: string; children?: React.ReactNode }) {
  return (
    <div className="flex flex-col items-center gap-2 rounded-[12px] border border-dashed border-line py-14 text-center">
      <h3 className="text-[15px] font-semibold">{title}</h3>
      <p className="max-w-[460px] text-ink-2">{text}</p>
      {children}
    </div>
  );
}
