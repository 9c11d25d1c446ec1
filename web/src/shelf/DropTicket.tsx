// Where frames are dropped, how far an import is, and what came of it.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowRight } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, data, thumbUrl, type FileTaken, type ImportDone, type Limits } from "../api/client";
import { useLive } from "../api/live";
import { count } from "../format";
import { Button, Mark } from "../ui/controls";
import { ReadAgain } from "../bench/panels/ReadAgain";
import {
  bring,
  cancelBringing,
  chosenFiles,
  limitsInWords,
  openHere,
  resumeSorting,
  saw,
  useBringing,
} from "./bring";
import { OpenHere, useFolderNames } from "./Folders";
import { Bar } from "../ui/Bar";

/** How far an import is, in words that change four times: a reader says each. */
function importing({ done, total }: { done: number; total: number }): string {
  const quarter = total > 0 ? Math.floor((4 * done) / total) : 0;
  return `Importing ${count(total, "file")}${quarter > 0 ? `, ${quarter * 25} % done` : ""}`;
}

function imported(projects: readonly { frames: number }[], refused: number): string {
  const frames = projects.reduce((sum, project) => sum + project.frames, 0);
  return `${count(frames, "frame")} imported${refused > 0 ? `, ${count(refused, "file")} refused` : ""}`;
}

export function DropTicket() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { progress, newest, cutting, sorting, last, rest, error } = useBringing();
  const taking = useLive((state) => (progress ? state.taking[progress.importId] : undefined));
  const done = taking?.done ?? progress?.done ?? 0;
  const total = taking?.total ?? progress?.total ?? 0;
  const places = useFolderNames();
  const [looking, setLooking] = useState(false);
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
  const whenDone = (made: ImportDone | null) => {
    if (made?.projects.length === 1 && made.projects[0]) void navigate(`/project/${made.projects[0].id}`);
  };
  const take = (chosen: FileList | null, input: HTMLInputElement) => {
    const list = chosenFiles(chosen);
    input.value = "";
    void bring(list, queries).then(whenDone);
  };
  return (
    <>
      <section
        aria-label="Bring frames in"
        className="grid grid-cols-[1fr_260px] overflow-clip rounded-[12px] border border-line bg-card"
      >
        <p role="status" aria-label="Import" className="sr-only">
          {progress ? importing({ done, total }) : last && imported(last.done.projects, last.refused.length)}
        </p>
        <div className="flex items-center gap-6 px-6 py-5">
          <Prints />
          <div className="min-w-0">
            <h2 className="text-xl font-semibold">Drop numbered frames to start</h2>
            <p className="mt-1 text-ink-2">
              PNG, TGA, BMP, JPEG, TIFF, WebP or AVIF, loose, in folders, in a zip or tar; animated GIF, APNG
              and WebP; video clips. The order is by number. They stay as they are.
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
              {places.length > 0 && (
                <Button
                  aria-expanded={looking}
                  disabled={progress !== null}
                  title="Frames are read where they are, and can be followed while they render"
                  onClick={() => setLooking(!looking)}
                >
                  Open a folder here
                </Button>
              )}
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
                  {done} of {total || "…"}
                </span>{" "}
                <span className="text-[13px] text-ink-2">{total === 1 ? "file" : "files"}</span>
              </p>
              <Bar share={total ? done / total : 0} label="Frames brought in" />
              <p className="h-[17px] truncate text-xs text-ink-2">
                {taking?.name && `${taking.name}: ${count(taking.frames ?? 0, "frame")}`}
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
              <h3 className="font-semibold">
                {cutting.clips.length === 1 ? "Clip received" : "Clips received"}
              </h3>
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
      {looking && (
        <OpenHere
          names={places}
          onClose={() => setLooking(false)}
          onOpen={(choice, follow) => {
            setLooking(false);
            void openHere(choice, follow, queries).then(whenDone);
          }}
        />
      )}
    </>
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
