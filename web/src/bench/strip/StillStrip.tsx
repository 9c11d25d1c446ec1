// For a still: the frames that would play, of which one is chosen.

import { useEffect, useRef } from "react";
import { thumbUrl } from "../../api/client";
import { count } from "../../format";
import type { Bench } from "../edits";
import type { Of } from "../formats/format";
import { usePlan } from "../panels/rhythm/usePlan";

export function StillStrip({ bench, output }: { bench: Bench; output: Of<"still"> }) {
  const plan = usePlan(bench, bench.recipe);
  const chosen = useRef<HTMLButtonElement>(null);
  const { frame_list } = bench.project;
  useEffect(() => {
    chosen.current?.scrollIntoView({ block: "nearest", inline: "center" });
  }, [output.frame, plan]);
  const choose = (frame: number) =>
    bench.editOutput(`Frame ${frame}`, (so) => (so.format === "still" ? { ...so, frame } : so));
  const positions = plan?.positions ?? [];
  return (
    <section
      aria-label="Frames for the still"
      className="alone rounded-[12px] border border-line bg-card px-3 pt-2.5 pb-2.5"
    >
      <p className="flex h-[32px] items-center justify-between">
        <b className="font-semibold">
          Frame {output.frame} of {positions.length}
        </b>
        <span className="text-ink-2">{count(positions.length, "frame")} play: choose the one that stays</span>
      </p>
      <ul className="mt-2 flex gap-1 overflow-x-auto pb-1.5">
        {positions.map((position, index) => {
          const frame = frame_list[position - 1];
          const here = index + 1 === output.frame;
          return (
            <li key={index} className="shrink-0">
              <button
                ref={here ? chosen : null}
                type="button"
                aria-pressed={here}
                onClick={() => choose(index + 1)}
                onKeyDown={(event) => {
                  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
                  const next = index + 1 + (by ?? 0);
                  if (by === undefined || next < 1 || next > positions.length) return;
                  event.preventDefault();
                  event.stopPropagation();
                  choose(next);
                  const row = event.currentTarget.closest("ul");
                  row?.querySelectorAll("button")[next - 1]?.focus();
                }}
                className={`flex w-[104px] flex-col items-center gap-1 rounded-[7px] border-2 p-1 ${
                  here ? "border-jay bg-jay-soft" : "border-transparent hover:border-line"
                }`}
              >
                <span className="flex h-[70px] w-full items-center justify-center rounded-[5px] bg-stage">
                  {frame && (
                    <img src={thumbUrl(frame.sha256)} alt="" loading="lazy" className="max-h-full max-w-full" />
                  )}
                </span>
                <span className="figure text-xs">{index + 1}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
