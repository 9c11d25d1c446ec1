// A project on the shelf, playing its real output.

import { useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { create } from "zustand";
import {
  api,
  data,
  fileUrl,
  playedFrameUrl,
  thumbUrl,
  type Output,
  type ProjectCard,
  type ResultInfo,
} from "../api/client";
import { ago, count, seconds, size, times } from "../format";
import { Button, Mark, Tip, type Verdict } from "../ui/controls";
import { focusWhenThere } from "../ui/refocus";
import { tell, tellError } from "../ui/notices";
import { toggled } from "../table/choosing";
import { useShelfChosen } from "../table/chosen";

/** Whether cards play by themselves; otherwise only what is pointed at or has the focus does. */
export const useMotion = create<{ on: boolean }>(() => ({
  on: !matchMedia("(prefers-reduced-motion: reduce)").matches,
}));

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

export function Card({
  project,
  listed,
}: {
  project: ProjectCard;
  /** All that are shown, in their order: a run of them is chosen with Shift. */
  listed: readonly string[];
}) {
  const queries = useQueryClient();
  const moving = useMotion((state) => state.on);
  const [looked, setLooked] = useState(false);
  const chosen = useShelfChosen((state) => state.ids.has(project.id));
  const some = useShelfChosen((state) => state.ids.size > 0);
  const choose = (run: boolean) =>
    useShelfChosen.setState(toggled(useShelfChosen.getState(), project.id, listed, run));
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
      className={`group relative overflow-clip rounded-[12px] border bg-card transition-shadow hover:shadow-md ${chosen ? "border-jay outline-2 outline-jay" : "border-line"}`}
      onClickCapture={(event) => {
        if (!(event.ctrlKey || event.metaKey || event.shiftKey) || event.target instanceof HTMLInputElement)
          return;
        event.preventDefault();
        event.stopPropagation();
        choose(event.shiftKey);
      }}
      onKeyDown={(event) => {
        if (event.key !== " " || !(event.target instanceof HTMLAnchorElement)) return;
        event.preventDefault();
        choose(event.shiftKey);
      }}
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
      <label
        className={`absolute top-2 left-2 z-10 flex size-[30px] cursor-pointer items-center justify-center rounded-[7px] border border-line bg-card transition-opacity group-hover:opacity-100 focus-within:opacity-100 ${some ? "" : "opacity-0"}`}
      >
        <input
          type="checkbox"
          // The Space key on the name chooses as well: until one is chosen Tab passes by.
          tabIndex={some ? 0 : -1}
          aria-label={`Choose ${project.name}`}
          checked={chosen}
          onClick={(event) => choose(event.shiftKey)}
          onChange={() => undefined}
          className="size-4 accent-[var(--jay)]"
        />
      </label>
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
