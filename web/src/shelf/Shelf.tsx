// The start: a place to drop frames, and one card a project, each playing its real output.

import { focusWhenThere } from "../ui/refocus";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowRight, MoonStar, Pause, Play, Sun, Trash2 } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { create } from "zustand";
import {
  api,
  ApiError,
  data,
  fileUrl,
  playedFrameUrl,
  thumbUrl,
  type BinnedProject,
  type FileTaken,
  type Health,
  type Limits,
  type Output,
  type ProjectCard,
  type ResultInfo,
  type Storage,
} from "../api/client";
import { useLive } from "../api/live";
import { ago, count, roughly, seconds, size, times } from "../format";
import { Button, IconButton, Mark, Tip, type Verdict } from "../ui/controls";
import { ReadAgain } from "../bench/panels/ReadAgain";
import { useHelp } from "../ui/help";
import { tell, tellError } from "../ui/notices";
import { switchTheme, useTheme } from "../ui/theme";
import { bring, cancelBringing, chosenFiles, limitsInWords, resumeSorting, saw, useBringing } from "./bring";
import { takesKey } from "../ui/focus";
import { Cutting } from "./Cutting";
import { Sorting } from "./Sorting";
import { StandIns } from "./StandIns";

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
  const moving = useMotion((state) => state.on);
  useEffect(() => void resumeSorting(), []);
  useEffect(() => {
    document.title = "Jay Flick";
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "/" && !takesKey(event.target, "/")) {
        event.preventDefault();
        finder.current?.focus();
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
      {sorting && <Sorting key={sorting.importId} report={sorting.report} />}
      <section aria-label="Projects">
        <div className="mb-2 flex items-baseline gap-2.5">
          <h2 className="text-[15px] font-bold">Projects</h2>
          <span className="figure text-ink-2">{projects?.length ?? ""}</span>
          <span className="grow" />
          <span className="text-ink-2">newest change first</span>
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
              <Card key={project.id} project={project} />
            ))}
          </ul>
        )}
      </section>
      <StandIns />
      <Bin />
      <Stored />
    </div>
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

export function ThemeButton() {
  const dark = useTheme((state) => state.dark);
  return (
    <IconButton tip={dark ? "Light paper" : "Dark ink"} onClick={switchTheme}>
      {dark ? <Sun size={15} /> : <MoonStar size={15} />}
    </IconButton>
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

/** How far an import is, in words that change four times: a reader says each. */
function importing({ done, total }: { done: number; total: number }): string {
  const quarter = total > 0 ? Math.floor((4 * done) / total) : 0;
  return `Importing ${count(total, "file")}${quarter > 0 ? `, ${quarter * 25} % done` : ""}`;
}

function imported(projects: readonly { frames: number }[], refused: number): string {
  const frames = projects.reduce((sum, project) => sum + project.frames, 0);
  return `${count(frames, "frame")} imported${refused > 0 ? `, ${count(refused, "file")} refused` : ""}`;
}

function DropTicket() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { progress, newest, cutting, sorting, last, rest, error } = useBringing();
  const taking = useLive((state) => (progress ? state.taking[progress.importId] : undefined));
  const limits = useQuery({
    queryKey: ["limits"],
    queryFn: () => data<Limits>(api.GET("/api/limits")),
    staleTime: Infinity,
  });
  useEffect(() => {
    if (taking) saw(taking.picture);
  }, [taking]);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  useEffect(() => folder.current?.setAttribute("webkitdirectory", ""), []);
  const take = (chosen: FileList | null, input: HTMLInputElement) => {
    const list = chosenFiles(chosen);
    input.value = "";
    void bring(list, queries).then((done) => {
      if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
    });
  };
  return (
    <section
      aria-label="Bring frames in"
      className="grid grid-cols-[1fr_260px] overflow-clip rounded-[12px] border border-line bg-card"
    >
      <p role="status" aria-label="Import" className="sr-only">
        {progress ? importing(progress) : last && imported(last.done.projects, last.refused.length)}
      </p>
      <div className="flex items-center gap-6 px-6 py-5">
        <Prints />
        <div className="min-w-0">
          <h2 className="text-xl font-semibold">Drop numbered frames to start</h2>
          <p className="mt-1 text-ink-2">
            PNG, TGA, BMP, JPEG, TIFF, WebP or AVIF, loose, in folders, in a zip or tar; animated GIF, APNG and
            WebP; video clips. The order is by number. They stay as they are.
          </p>
          <p className="mt-0.5 mb-2.5 text-xs text-ink-2">
            {limits.data ? limitsInWords(limits.data) : "\u00a0"}
          </p>
          <div className="flex gap-1.5">
            <Button look="strong" disabled={progress !== null} onClick={() => files.current?.click()}>
              Choose files
            </Button>
            <Button disabled={progress !== null} onClick={() => folder.current?.click()}>
              Choose a folder
            </Button>
          </div>
          <input
            ref={files}
            type="file"
            multiple
            aria-label="Frames"
            className="hidden"
            onChange={(event) => take(event.target.files, event.target)}
          />
          <input
            ref={folder}
            type="file"
            aria-label="Folder of frames"
            className="hidden"
            onChange={(event) => take(event.target.files, event.target)}
          />
        </div>
      </div>
      <div className="tear flex flex-col justify-center gap-1 px-6 py-4">
        {progress ? (
          <>
            <h3 className="font-semibold">Importing</h3>
            <p className="text-xl">
              <span className="figure font-semibold">
                {progress.done} of {progress.total}
              </span>{" "}
              <span className="text-[13px] text-ink-2">{progress.total === 1 ? "file" : "files"}</span>
            </p>
            <Bar share={progress.total ? progress.done / progress.total : 0} label="Frames brought in" />
            <p className="h-[17px] truncate text-xs text-ink-2">
              {taking && `${taking.name}: ${count(taking.frames, "frame")}`}
            </p>
            <div className="flex items-center gap-1.5">
              <Button onClick={cancelBringing}>Cancel</Button>
              <span className="flex h-[30px] gap-1 overflow-hidden" aria-hidden>
                {newest.map((picture) => (
                  <img
                    key={picture}
                    src={thumbUrl(picture)}
                    alt=""
                    className="chequer h-full w-auto rounded-[4px]"
                  />
                ))}
              </span>
            </div>
          </>
        ) : error ? (
          <div role="alert">
            <Mark verdict="stop" word="Nothing was imported" />
            <p className="mt-1 line-clamp-4 text-ink-2 break-words">{error}</p>
          </div>
        ) : cutting ? (
          <>
            <h3 className="font-semibold">{cutting.clips.length === 1 ? "Clip received" : "Clips received"}</h3>
            <p className="text-ink-2">Choose below which of its frames are brought in.</p>
            <Refused files={cutting.refused} />
          </>
        ) : sorting ? (
          <>
            <h3 className="font-semibold">Imported</h3>
            <p className="text-ink-2">
              {count(sorting.report.sequences.length, "sequence")} in one drop: choose below what becomes of
              them.
            </p>
            <Refused files={sorting.refused} />
          </>
        ) : last ? (
          <LastDrop last={last} />
        ) : rest > 0 ? (
          <>
            <h3 className="font-semibold">Last drop</h3>
            <p className="text-ink-2">{count(rest, "sequence")} of it not imported yet.</p>
            <Button className="self-start" onClick={() => void resumeSorting(true)}>
              Sort {rest === 1 ? "it" : "them"}
            </Button>
          </>
        ) : (
          <p className="text-ink-2">
            Nothing dropped yet. Files that cannot be used are named here; the others come in all the same.
          </p>
        )}
      </div>
    </section>
  );
}

/** Files that could not be used, or not all of them: how many, and why each. */
function Refused({ files, project }: { files: readonly FileTaken[]; project?: string }) {
  if (files.length === 0) return null;
  return (
    <details open={files.length <= 2} className="min-w-0">
      <summary className="cursor-pointer text-stop">{files.length} refused</summary>
      <ul className="max-h-[84px] overflow-y-auto" tabIndex={0} aria-label="Refused files">
        {files.map((file) => {
          const inside = file.problem?.file;
          const name = inside && inside !== file.name ? `${inside} in ${file.name}` : file.name;
          return (
            <li key={file.name} className="text-xs break-words text-ink-2" title={file.problem?.remedy}>
              {name}: {file.problem?.message}{" "}
              {project && file.problem?.kind === "slow" && <ReadAgain project={project} file={file.name} />}
            </li>
          );
        })}
      </ul>
    </details>
  );
}

function LastDrop({ last }: { last: NonNullable<ReturnType<typeof useBringing.getState>["last"]> }) {
  const { projects } = last.done;
  const rest = useBringing((state) => state.rest);
  const first = projects[0];
  const frames = projects.reduce((sum, project) => sum + project.frames, 0);
  const missing = projects.reduce((sum, project) => sum + project.missing, 0);
  return (
    <>
      <h3 className="font-semibold">Last drop</h3>
      <p className="figure text-xl font-semibold">{count(frames, "frame")}</p>
      <p className="text-ink-2">
        {count(projects.length, "project")}
        {missing > 0 && `, ${count(missing, "number")} missing`}
      </p>
      <Refused files={last.refused} project={projects.length === 1 ? first?.id : undefined} />
      {rest > 0 && (
        <p className="flex items-center gap-2 text-ink-2">
          <span>
            <span className="figure">{rest}</span> not imported
          </span>
          <Button className="h-[26px]!" onClick={() => void resumeSorting(true)}>
            Sort {rest === 1 ? "it" : "them"}
          </Button>
        </p>
      )}
      {first && (
        <Link
          className="inline-flex items-center gap-1 font-semibold text-jay-deep hover:underline"
          to={`/project/${first.id}`}
        >
          Go on with “{first.name}” <ArrowRight size={14} />
        </Link>
      )}
    </>
  );
}

export function Bar({ share, label }: { share: number; label: string }) {
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={Math.round(share * 100)}
      className="h-[9px] overflow-hidden rounded-full bg-line/70"
    >
      <div className="bars h-full rounded-full" style={{ width: `${Math.min(100, share * 100)}%` }} />
    </div>
  );
}

/** Three prints lying on each other: what is asked for, drawn, not a photograph of somebody's work. */
function Prints() {
  return (
    <svg width="112" height="84" viewBox="0 0 112 84" aria-hidden className="shrink-0">
      {[
        [-9, 6, 18, "1"],
        [1, 22, 14, "2"],
        [8, 40, 18, "3"],
      ].map(([turn, x, y, number]) => (
        <g key={number} transform={`translate(${x} ${y}) rotate(${turn} 30 24)`}>
          <rect width="64" height="46" rx="4" fill="var(--card)" stroke="var(--line)" />
          <rect x="4" y="4" width="56" height="38" rx="2" fill="var(--jay-soft)" />
          <path d="M4 34 18 22l10 8 12-14 20 18v8H4Z" fill="var(--jay-pale)" />
          <circle cx={Number(number) * 12 + 4} cy="13" r="4" fill="var(--buff)" />
        </g>
      ))}
    </svg>
  );
}

function facts(project: ProjectCard): string {
  const result = project.results[0];
  const { repeat } = project.recipe.rhythm;
  return result
    ? `${count(result.at.length, "frame")} · ${seconds(result.info.duration_ms)} s ${times(repeat)}`
    : count(project.frames, "frame");
}

function chip(project: ProjectCard, output: Output): { verdict: Verdict; word: string } {
  const result = project.results.find((one) => one.output_id === output.id);
  if (!result) return { verdict: "busy", word: `${output.name} encoding` };
  const verdict = { pass: "fine", warn: "look", fail: "stop" } as const;
  return {
    verdict: verdict[project.checks[output.id]?.verdict ?? "pass"],
    word: `${output.name} ${size(result.info.bytes)}`,
  };
}

const MOST_CHIPS = 3;

/** A project's first output, playing; of a kind that pages do not show, its first picture. */
function Playing({
  project,
  result,
  still,
  className,
}: {
  project: ProjectCard;
  result: ResultInfo | undefined;
  /** Its first frame alone. */
  still: boolean;
  className: string;
}) {
  const output = project.recipe.outputs.find((one) => one.id === result?.output_id);
  if (!result || !output)
    return <img src={thumbUrl(project.first_picture ?? "")} alt="" loading="lazy" className={className} />;
  if (still) return <img src={playedFrameUrl(result, 0)} alt="" loading="lazy" className={className} />;
  if (output.format === "video" && ["h264", "vp9"].includes(output.codec))
    return <video src={fileUrl(result)} autoPlay loop muted playsInline className={className} />;
  const shown = ["video", "frames", "sheet"].includes(output.format)
    ? playedFrameUrl(result, 0)
    : fileUrl(result);
  return <img src={shown} alt="" loading="lazy" className={className} />;
}

/** Whether cards play by themselves; otherwise only what is pointed at or has the focus does. */
const useMotion = create<{ on: boolean }>(() => ({
  on: !matchMedia("(prefers-reduced-motion: reduce)").matches,
}));

function Card({ project }: { project: ProjectCard }) {
  const queries = useQueryClient();
  const moving = useMotion((state) => state.on);
  const [looked, setLooked] = useState(false);
  const result = project.results[0];
  const problems = project.notes;
  const more = project.recipe.outputs.length - MOST_CHIPS;
  const remove = async () => {
    const path = { params: { path: { project_id: project.id } } };
    try {
      await data(api.DELETE("/api/projects/{project_id}", path));
      await queries.invalidateQueries({ queryKey: ["shelf"] });
      tell(`“${project.name}” was deleted.`, {
        action: {
          label: "Restore",
          run: () =>
            void data(api.POST("/api/projects/{project_id}/restore", path))
              .then(() => queries.invalidateQueries({ queryKey: ["shelf"] }))
              .then(() => focusWhenThere(`h3 a[href="/project/${project.id}"]`))
              .catch(tellError),
        },
      });
    } catch (error) {
      tellError(error);
    }
  };
  return (
    <li
      className="group relative overflow-clip rounded-[12px] border border-line bg-card transition-shadow hover:shadow-md"
      onPointerEnter={() => setLooked(true)}
      onPointerLeave={() => setLooked(false)}
      onFocus={() => setLooked(true)}
      onBlur={() => setLooked(false)}
    >
      <div>
        <div
          className={`flex h-[160px] items-center justify-center ${result?.info.transparent === false ? "bg-stage" : "chequer"}`}
        >
          <Playing
            project={project}
            result={result}
            still={!moving && !looked}
            className={`h-full w-full ${project.width * 10 > project.height * 14 ? "object-cover" : "object-contain"}`}
          />
        </div>
        <div className="flex flex-col gap-1 px-3 pt-2.5 pb-3">
          <div className="flex items-baseline justify-between gap-2">
            <h3 dir="auto" className="min-w-0 truncate text-[15px] font-semibold">
              {/* The link is the name; the whole card takes the click. */}
              <Link
                to={`/project/${project.id}`}
                className="after:absolute after:inset-0 after:rounded-[12px] focus-visible:outline-none focus-visible:after:outline-2 focus-visible:after:outline-jay"
              >
                {project.name}
              </Link>
            </h3>
            <span className="shrink-0 text-xs text-ink-2">{ago(project.changed, Date.now())}</span>
          </div>
          <p className="truncate text-ink-2">{facts(project)}</p>
          <p className="flex flex-wrap gap-1.5">
            {project.recipe.outputs.slice(0, MOST_CHIPS).map((output) => (
              <Mark key={output.id} chip {...chip(project, output)} />
            ))}
            {more > 0 && <span className="text-xs text-ink-2">{more} more</span>}
            {problems > 0 && <Mark chip verdict="look" word={`${count(problems, "thing")} to check`} />}
          </p>
        </div>
      </div>
      <div className="absolute top-2 right-2 z-10 opacity-0 transition-opacity group-hover:opacity-100 focus-within:opacity-100">
        <Tip text="Delete">
          <Button
            aria-label={`Delete ${project.name}`}
            className="w-[30px] px-0!"
            onClick={() => void remove()}
          >
            <Trash2 size={14} />
          </Button>
        </Tip>
      </div>
    </li>
  );
}
