// How much of the picture a transition covers, frame by frame, where the sources are cut, and what would help.

import { useMemo } from "react";
import type { PlanInfo, ResultInfo } from "../../api/client";
import { count } from "../../format";
import { show, usePlayhead } from "../../player/playhead";
import { Button, Checkbox, Mark, NumberField } from "../../ui/controls";
import { conformed, fileOf, stepOf, useBroadcast, useOpenMarks } from "../broadcast";
import { applyRemedy, wordsOf } from "../remedy";
import type { PanelProps } from "./panel";
import { usePlan } from "./rhythm/usePlan";

const [WIDE, HIGH] = [280, 44];

export function Cover(panel: PanelProps) {
  const { bench, result, behind, outputs } = panel;
  const { output } = bench;
  const index = usePlayhead((state) => state.index);
  const marked = useOpenMarks((state) => state.on);
  const known = useBroadcast(bench, result, behind);
  const opaque = result?.info.opaque ?? null;
  const check = outputs.find((one) => one.output.id === output.id)?.check;
  if (output.format !== "frames" || !output.target?.cover || !result || !opaque || !check) return null;
  const proposed = known?.info.cut ?? null;
  const cut = output.cut ?? check.cut ?? null;
  const at = fileOf(result, index);
  return (
    <section
      aria-label="Cover"
      className={`flex flex-col gap-2 border-t border-line pt-2.5 ${behind ? "opacity-60" : ""}`}
    >
      <h3 className="font-semibold">Cover</h3>
      <Curve result={result} opaque={opaque} cut={cut} at={at} />
      <p className="flex items-center justify-between gap-2">
        <span className="text-ink-2">
          frame {at + 1}: <span className="figure">{percent(opaque[at] ?? 0)} %</span> opaque
        </span>
        {cut !== null && (
          <Button className="h-[26px]! px-2!" onClick={() => show(stepOf(result, cut - 1))}>
            Cut at frame {cut}
          </Button>
        )}
      </p>
      <span className="flex flex-wrap items-center justify-between gap-2">
        <label className="flex items-center gap-1.5 text-ink-2">
          by hand
          <NumberField
            label="Cut by hand"
            value={output.cut}
            min={1}
            max={opaque.length}
            placeholder={proposed === null ? "none" : String(proposed)}
            onCommit={(frame) =>
              bench.editOutput(`Cut at frame ${frame}`, (so) =>
                so.format === "frames" ? { ...so, cut: frame } : so,
              )
            }
            onClear={() =>
              bench.editOutput("Cut while fully covered", (so) =>
                so.format === "frames" ? { ...so, cut: null } : so,
              )
            }
          />
        </label>
        <Checkbox
          label="Hatch what is uncovered"
          checked={marked}
          onChange={(on) => useOpenMarks.setState({ on })}
        />
      </span>
      {output.backing && (
        <p className="flex items-center justify-between gap-2">
          <span className="flex items-center gap-1.5 text-ink-2">
            <span
              aria-hidden
              className="inline-block size-3.5 rounded-[3px] border border-line"
              style={{ background: output.backing.colour }}
            />
            behind frames {output.backing.first} to {output.backing.last}
          </span>
          <Button
            className="h-[26px]! px-2!"
            onClick={() =>
              bench.editOutput("No colour behind", (so) =>
                so.format === "frames" ? { ...so, backing: null } : so,
              )
            }
          >
            Remove
          </Button>
        </p>
      )}
      {(known?.fresh ? known.info.remedies : []).map((remedy) => (
        <Button key={remedy.text} className="self-start" onClick={() => applyRemedy(bench, remedy)}>
          {wordsOf(remedy)}
        </Button>
      ))}
      <Conform panel={panel} />
    </section>
  );
}

function Curve({
  result,
  opaque,
  cut,
  at,
}: {
  result: ResultInfo;
  opaque: readonly number[];
  cut: number | null;
  at: number;
}) {
  const each = WIDE / opaque.length;
  const line = opaque
    .map(
      (share, index) => `L${index * each} ${HIGH * (1 - share)} L${(index + 1) * each} ${HIGH * (1 - share)}`,
    )
    .join(" ");
  return (
    <svg
      role="img"
      aria-label={
        cut === null ? "No frame covers all of the picture" : `Frame ${cut} is where the sources are cut`
      }
      viewBox={`0 -2 ${WIDE} ${HIGH + 4}`}
      className="w-full cursor-pointer rounded-[6px] bg-well"
      onClick={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        show(stepOf(result, Math.floor(((event.clientX - box.left) / box.width) * opaque.length)));
      }}
    >
      <path d={`M0 ${HIGH} ${line} L${WIDE} ${HIGH} Z`} className="fill-jay-pale/60 stroke-jay" />
      {opaque.map((share, index) =>
        share === 1 ? (
          <rect key={index} x={index * each} y={-2} width={each} height={5} className="fill-fine" />
        ) : null,
      )}
      {cut !== null && (
        <rect x={(cut - 0.5) * each - 1} y={-2} width={2} height={HIGH + 4} className="fill-stop" />
      )}
      <rect x={(at + 0.5) * each - 0.75} y={-2} width={1.5} height={HIGH + 4} className="fill-ink" />
    </svg>
  );
}

/** Frames of another rate or length brought to what the target takes; what becomes of them is said first. */
function Conform({ panel }: { panel: PanelProps }) {
  const { bench, result } = panel;
  const { output, recipe } = bench;
  const figures = output.target?.figures;
  const frames = figures?.frames?.stop?.most ?? null;
  const rate = figures?.fps?.stop?.most ?? null;
  const wish = useMemo(() => {
    if (!result || frames === null || rate === null) return null;
    const fits = result.info.count === frames && Math.abs(result.info.duration_ms - (1000 * frames) / rate) < 1;
    return fits ? null : conformed(recipe, output.id, String(rate), frames / rate);
  }, [result, frames, rate, recipe, output.id]);
  const plan = usePlan(bench, wish);
  if (!wish || !plan || frames === null || rate === null) return null;
  return (
    <div className="flex flex-col gap-1.5 rounded-[8px] bg-well px-2.5 py-2">
      <p>
        <Mark verdict="look" word={`not ${frames} frames at ${rate} fps`} />
        <span className="block text-ink-2">{becomes(plan, rate, result?.info.duration_ms ?? 0)}</span>
      </p>
      <Button
        className="self-start"
        onClick={() => bench.edit(`Conformed to ${frames} frames at ${rate} fps`, () => wish)}
      >
        Conform to {frames} frames
      </Button>
    </div>
  );
}

function becomes(plan: PlanInfo, rate: number, before: number): string {
  const each = 705_600_000 / rate;
  const twice = plan.durations.filter((duration) => duration > 1.5 * each).length;
  const parts = [
    plan.dropped.length > 0 ? `${count(plan.dropped.length, "frame")} dropped` : "",
    twice > 0 ? `${count(twice, "frame")} shown more than once` : "",
  ].filter(Boolean);
  const speed = Math.round((100 * before) / plan.duration_ms);
  return `It would play at ${speed} % of its speed${parts.length > 0 ? `, ${parts.join(", ")}` : ""}.`;
}

/** Never a hundred unless it is. */
const percent = (share: number) => (share === 1 ? "100" : (Math.floor(share * 10_000) / 100).toFixed(2));
