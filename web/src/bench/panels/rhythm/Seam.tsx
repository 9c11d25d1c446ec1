// How the loop closes: its steps drawn, the last to the first among them, and what would close better.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, data, type SeamInfo } from "../../../api/client";
import { count } from "../../../format";
import { Button, Mark, NumberField, Row, SliderRow, type Verdict } from "../../../ui/controls";
import { setView } from "../../view";
import { setRange } from "../../range";
import type { PanelProps } from "../panel";

/** A last frame that differs by less than this share of a usual step repeats the first. */
const REPEATS = 0.25;

export function SeamPart({ bench, result }: PanelProps) {
  const { project, recipe } = bench;
  const { rhythm } = recipe;
  const [least, setLeast] = useState(() => Math.max(2, Math.min(12, project.frames - 1)));
  const query = useQuery({
    queryKey: ["seam", project.id, rhythm.order, recipe.gather, project.revision.id, least],
    queryFn: () =>
      data<SeamInfo>(
        api.GET("/api/projects/{project_id}/seam", {
          params: { path: { project_id: project.id }, query: { least } },
        }),
      ),
    retry: false,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
  });
  useEffect(() => () => setView("result"), []);
  const seam = query.data;
  const first = rhythm.first ?? seam?.places[0] ?? 1;
  const last = rhythm.last ?? seam?.places.at(-1) ?? project.frames;
  const ranged = rhythm.first !== null || rhythm.last !== null;
  const most = Math.floor((result?.at.length ?? 2) / Math.max(1, rhythm.cycles) / 2) + rhythm.dissolve;
  return (
    <>
      {query.isError ? (
        <p>{query.error.message}</p>
      ) : !seam ? (
        <p role="status" className="text-ink-2">
          Comparing {count(project.frames, "frame")} with each other…
        </p>
      ) : (
        <>
          <Steps seam={seam} />
          <p>
            <Mark {...verdictOf(seam)} /> <span className="text-ink-2">{wordsOf(seam)}</span>
          </p>
          <Button className="self-start" title="5" onClick={() => setView("ends")}>
            Last beside first
          </Button>
          <Row label="Better">
            <span className="text-ink-2">of at least</span>
            <NumberField
              label="Minimum frames"
              value={least}
              min={2}
              max={project.frames}
              onCommit={setLeast}
            />
            <span className="text-ink-2">frames</span>
          </Row>
          {seam.best.length === 0 ? (
            <p className="text-ink-2">No range of that length moves enough to be told apart.</p>
          ) : (
            <ul aria-label="Ranges that close best" className="flex flex-col gap-1">
              {seam.best.map((one) => {
                const taken = ranged && first === one.first && last === one.last;
                return (
                  <li key={`${one.first} ${one.last}`}>
                    <button
                      type="button"
                      aria-pressed={taken}
                      className={`flex w-full items-center justify-between rounded-[7px] border px-2.5 py-1 text-left ${taken ? "border-jay bg-jay-soft" : "border-line hover:border-ink-3"}`}
                      onClick={() => setRange(bench, one.first, one.last)}
                    >
                      <span className="figure">
                        {one.first}–{one.last}
                      </span>
                      <span className="text-ink-2">
                        {count(one.count, "frame")}, jump {one.jump.toFixed(2)}
                      </span>
                    </button>
                  </li>
                );
              })}
            </ul>
          )}
          {ranged && (
            <Button
              className="self-start"
              onClick={() =>
                bench.edit("All frames", (so) => ({ ...so, rhythm: { ...so.rhythm, first: null, last: null } }))
              }
            >
              All frames again
            </Button>
          )}
        </>
      )}
      <div className="border-t border-line pt-2.5">
        <SliderRow
          label="Dissolve"
          value={rhythm.dissolve}
          min={0}
          max={Math.max(1, most)}
          onChange={(dissolve, gesture) =>
            bench.edit(
              `Dissolve over ${dissolve}`,
              (so) => ({ ...so, rhythm: { ...so.rhythm, dissolve } }),
              gesture,
            )
          }
          onRelease={bench.release}
        />
        <p className="mt-1 text-xs text-ink-2">
          {rhythm.dissolve === 0
            ? "The end fades into the beginning over so many frames; the loop gets as much shorter."
            : `The last ${rhythm.dissolve} fade into the first ${rhythm.dissolve}.`}
        </p>
        <p className="mt-1 text-xs text-ink-2">
          {rhythm.repeat === 0 ? "Plays for ever: it never comes to rest." : "At rest the last frame is shown."}
        </p>
      </div>
    </>
  );
}

function verdictOf(seam: SeamInfo): { verdict: Verdict; word: string } {
  if (seam.usual > 0 && seam.whole.step < REPEATS * seam.usual)
    return { verdict: "look", word: "last repeats first" };
  if (seam.whole.jump <= 0.5) return { verdict: "fine", word: "closes" };
  return { verdict: "look", word: "jumps" };
}

function wordsOf(seam: SeamInfo): string {
  if (seam.usual === 0) return "Nothing moves.";
  const share = seam.whole.step / seam.usual;
  return `From last to first it steps ${share.toFixed(2)} times as far as usual.`;
}

/** Each step from frame to frame as a bar; the one that closes the loop stands by itself at the end. */
function Steps({ seam }: { seam: SeamInfo }) {
  const [width, height] = [290, 64];
  const inner = seam.steps.slice(0, -1);
  const closing = seam.steps.at(-1) ?? 0;
  const tall = Math.max(...seam.steps, 1e-9);
  const room = width - 26;
  const each = room / Math.max(inner.length, 1);
  const y = (step: number) => height - (step / tall) * (height - 6);
  return (
    <svg
      role="img"
      aria-label={`Steps between frames; the closing step is ${closing.toFixed(1)} levels, a usual one ${seam.usual.toFixed(1)}`}
      viewBox={`0 0 ${width} ${height}`}
      className="w-full rounded-[6px] bg-well"
    >
      {inner.map((step, index) => (
        <rect
          key={index}
          x={index * each}
          y={y(step)}
          width={Math.max(0.5, each - (each > 3 ? 1 : 0))}
          height={height - y(step)}
          className="fill-jay-pale"
        />
      ))}
      <rect x={width - 18} y={y(closing)} width={14} height={height - y(closing)} className="fill-buff" />
      <line
        x1={0}
        x2={width}
        y1={y(seam.usual)}
        y2={y(seam.usual)}
        className="stroke-ink-2"
        strokeWidth={1}
        strokeDasharray="4 3"
      />
    </svg>
  );
}
