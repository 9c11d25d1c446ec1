// Playing by hand, the selection's delay, and how the strip is looked at.

import { useMemo } from "react";
import { ChevronLeft, ChevronRight, Maximize2, Pause, Play, SkipBack, ZoomIn, ZoomOut } from "lucide-react";
import { DELAYS_ARE, kilobytes, parseDelay, seconds } from "../../format";
import { setSpeed, show, SPEEDS, step, toggle, usePlayhead } from "../../player/playhead";
import { Button, IconButton, TextField } from "../../ui/controls";
import type { Bench } from "../edits";
import { useBars } from "../likeness";
import { chosenPlaces, holdPlaces, leaveOut, releasePlaces, selectAll, useSelection } from "../selection";
import type { Timeline } from "../timeline";
import { useZoom, zoomStrip } from "./scale";

/** Which file the frame on show is: its number, and its name in full to be pointed at. */
function FileName({ bench, result, index }: { bench: Bench; result: Timeline | undefined; index: number }) {
  const frame = bench.project.frame_list[(result?.positions[index] ?? 0) - 1];
  const blended = result?.blends[String(index)] !== undefined;
  return (
    <span
      role="note"
      aria-label="File on show"
      title={frame?.name}
      className="figure w-[116px] min-w-0 shrink truncate text-ink-2 @max-[860px]:hidden"
    >
      {!frame
        ? "blank"
        : `${blended ? "blend, " : ""}${frame.number === null ? frame.name : `file ${frame.number}`}`}
    </span>
  );
}

/** What the selected frames cost together, and the delay they have in common within a hundredth, in ms. */
function facts(
  result: Timeline | undefined,
  chosen: ReadonlySet<number>,
): { bytes: number; delay: number | null } {
  let bytes = 0;
  const delays: number[] = [];
  result?.places.forEach((place, index) => {
    if (!chosen.has(place)) return;
    bytes += result.costs[index] ?? 0;
    delays.push(result.delays[index] ?? 0);
  });
  const first = delays[0] ?? null;
  const same = delays.every((delay) => Math.abs(delay - (first ?? 0)) <= 10);
  return { bytes, delay: same ? first : null };
}

export function Transport({
  bench,
  timeline: result,
  by,
  lost,
}: {
  bench: Bench;
  timeline: Timeline | undefined;
  /** What the bars tell. */
  by: "bytes" | "likeness";
  /** What is lost in each step, in ten thousandths of SSIM, where the bars tell that. */
  lost: readonly number[] | undefined;
}) {
  const playing = usePlayhead((state) => state.playing);
  const index = usePlayhead((state) => state.index);
  const speed = usePlayhead((state) => state.speed);
  const skipped = usePlayhead((state) => state.skipped);
  const chosen = useSelection((state) => state.places);
  const whole = useZoom((state) => state.zoom === 1);
  const before = usePlayhead((state) => (state.index > 0 ? (state.line.ends[state.index - 1] ?? 0) : 0));
  const selected = useMemo(() => facts(result, chosen), [result, chosen]);
  const { holds, rate } = bench.recipe.rhythm;
  const held = useMemo(() => [...chosen].some((place) => String(place) in holds), [chosen, holds]);
  const cost = result?.costs[index];
  return (
    <div className="@container">
      <div className="flex h-[30px] items-center gap-1.5 whitespace-nowrap [&>button]:shrink-0">
        <IconButton
          tip={playing ? "Pause" : "Play"}
          keys="Space"
          look="strong"
          onClick={toggle}
          disabled={!result}
        >
          {playing ? <Pause size={14} fill="currentColor" /> : <Play size={14} fill="currentColor" />}
        </IconButton>
        <IconButton tip="First frame" keys="Home" onClick={() => show(0)} disabled={!result}>
          <SkipBack size={14} />
        </IconButton>
        <IconButton tip="Previous frame" keys="←" onClick={() => step(-1)} disabled={!result}>
          <ChevronLeft size={15} />
        </IconButton>
        <IconButton tip="Next frame" keys="→" onClick={() => step(1)} disabled={!result}>
          <ChevronRight size={15} />
        </IconButton>
        <span className="figure ml-1 min-w-[168px] @max-[760px]:min-w-0">
          <b>
            frame {result ? index + 1 : 0} of {result?.delays.length ?? 0}
          </b>{" "}
          <span className="text-ink-2 @max-[760px]:hidden">{seconds(before)} s</span>
        </span>
        <FileName bench={bench} result={result} index={index} />
        <label
          className={`flex items-center gap-1.5 text-ink-2 ${chosen.size > 0 ? "@max-[1120px]:hidden" : ""}`}
          title="Preview only: the file is unchanged (, and .)"
        >
          <span>
            <span className="@max-[960px]:sr-only">preview </span>speed
          </span>
          <select
            aria-label="Preview speed"
            value={String(speed)}
            onChange={(event) => setSpeed(Number(event.target.value))}
            className="figure h-[26px] rounded-[6px] border border-line bg-card px-1 text-ink"
          >
            {SPEEDS.map((one) => (
              <option key={one} value={one}>
                {one} %
              </option>
            ))}
          </select>
        </label>
        {skipped > 0 && (
          <span
            className="text-look"
            title="The display was too slow to show every frame in time, in this round or the one before"
          >
            {skipped} skipped
          </span>
        )}
        <span className="grow" />
        {chosen.size > 0 ? (
          <>
            <span role="status" aria-label="Selection" className="whitespace-nowrap text-ink-2">
              {chosen.size} selected
              {cost !== undefined && (
                <>
                  , <span className="figure">{kilobytes(selected.bytes)} KB</span>
                </>
              )}
            </span>
            <TextField
              label="Delay of the selected frames"
              value={selected.delay === null ? "mixed" : `${Number((selected.delay / 10).toFixed(2))} cs`}
              title={DELAYS_ARE}
              why={DELAYS_ARE}
              read={(text) => (text === "mixed" || parseDelay(text, rate) !== null ? text : null)}
              onCommit={(text) => {
                const flicks = parseDelay(text, rate);
                if (flicks !== null) holdPlaces(bench, chosenPlaces(), flicks);
              }}
              className="w-[76px] text-right"
            />
            {held && <Button onClick={() => releasePlaces(bench, chosenPlaces())}>Clear delays</Button>}
            <Button onClick={() => leaveOut(bench)}>Leave out</Button>
          </>
        ) : (
          <Button look="quiet" disabled={!result} onClick={() => result && selectAll(result)}>
            Select all
          </Button>
        )}
        <span className="h-5 border-l border-line" />
        <span className={`text-ink-2 ${chosen.size > 0 ? "@max-[1120px]:hidden" : ""}`}>
          <span className="@max-[1000px]:sr-only">this frame </span>
          <select
            aria-label="Bars"
            title="What stands above the frames: their bytes, or what is lost in them (1 − SSIM)"
            value={by}
            onChange={(event) =>
              useBars.setState({ by: event.target.value === "likeness" ? "likeness" : "bytes" })
            }
            className="h-[26px] rounded-[6px] border border-line bg-card px-1 text-ink @max-[860px]:hidden"
          >
            <option value="bytes">bytes</option>
            <option value="likeness">SSIM</option>
          </select>
          <b className="figure inline-block min-w-[62px] text-right text-ink">
            {by === "likeness"
              ? lost
                ? (1 - (lost[index] ?? 0) / 1e4).toFixed(4)
                : "…"
              : cost === undefined
                ? "–"
                : `${(cost / 1024).toFixed(1)} KB`}
          </b>
        </span>
        <span className={`flex ${chosen.size > 0 ? "@max-[760px]:hidden" : ""}`}>
          <IconButton tip="Zoom out" keys="-" look="quiet" disabled={whole} onClick={() => zoomStrip(0.5)}>
            <ZoomOut size={14} />
          </IconButton>
          <IconButton tip="Zoom to fit" keys="0" look="quiet" disabled={whole} onClick={() => zoomStrip("fit")}>
            <Maximize2 size={13} />
          </IconButton>
          <IconButton tip="Zoom in" keys="+" look="quiet" disabled={!result} onClick={() => zoomStrip(2)}>
            <ZoomIn size={14} />
          </IconButton>
        </span>
      </div>
    </div>
  );
}
