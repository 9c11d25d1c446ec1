// Where an overlay or a page's animation lies on the raster, and what it takes of a device's memory.

import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { playedFrameUrl, type BroadcastInfo, type Output, type ResultInfo } from "../../api/client";
import { usePlayhead } from "../../player/playhead";
import { arrowStep, follow } from "../../ui/drag";
import { Button, Mark, NumberField, Row } from "../../ui/controls";
import { useBroadcast } from "../broadcast";
import type { Bench } from "../edits";
import { atPoint, type Point } from "../points";
import { applyRemedy, wordsOf } from "../remedy";
import { NinePoints } from "./NinePoints";
import type { PanelProps } from "./panel";

const WIDE = 290;
type FramesOutput = Extract<Output, { format: "frames" }>;

export function OnRaster({ bench, result, behind }: PanelProps) {
  const { output } = bench;
  const known = useBroadcast(bench, result, behind);
  if (output.format !== "frames" || !output.target?.on_raster || !result) return null;
  const put = (left: number, top: number, gesture = "") =>
    bench.editOutput(
      `Lies at ${left}, ${top} on the raster`,
      (so) => (so.format === "frames" ? { ...so, place: [left, top] } : so),
      gesture,
    );
  const [left, top] = output.place ?? [0, 0];
  return (
    <section aria-label="On the raster" className="flex flex-col gap-2 border-t border-line pt-2.5">
      <h3 className="font-semibold">On the raster</h3>
      {known ? (
        <>
          <Preview bench={bench} output={output} result={result} info={known.info} put={put} />
          <Row label="Lies at">
            <NumberField
              label="Left on the raster"
              value={left}
              min={-4096}
              units={{ px: 1 }}
              max={4096}
              onCommit={(to) => put(to, top)}
            />
            <NumberField
              label="Top on the raster"
              value={top}
              min={-4096}
              units={{ px: 1 }}
              max={4096}
              onCommit={(to) => put(left, to)}
            />
          </Row>
          <Row label="Safe area">
            <NinePoints
              label="Place in the safe area"
              disabled={!known.fresh} // what it uses of its canvas may be another by now
              chosen={(point) => {
                const [x, y] = inSafeArea(point, known.info);
                return x === left && y === top;
              }}
              onChoose={(point) => put(...inSafeArea(point, known.info))}
            />
            <Outside info={known.info} place={[left, top]} />
          </Row>
          <Row label="Memory">
            <span className={known.fresh ? "" : "italic"}>
              <b className="figure">{megabytes(known.info.trimmed_bytes)}</b>
              <span className="text-ink-2"> trimmed, {megabytes(known.info.full_bytes)} in full frames</span>
              {!known.fresh && <Mark verdict="busy" word="before the last change" />}
            </span>
          </Row>
          {(known.fresh ? known.info.remedies : []).map((remedy) => (
            <span key={remedy.text} className="flex flex-wrap items-center gap-1.5">
              <Button onClick={() => applyRemedy(bench, remedy)}>{wordsOf(remedy)}</Button>
              {saving(remedy, known.info) && (
                <span className="text-xs text-ink-2">{saving(remedy, known.info)}</span>
              )}
            </span>
          ))}
        </>
      ) : (
        <p className="text-ink-2">{behind ? "Once it is encoded." : "Looking…"}</p>
      )}
    </section>
  );
}

/** Where the output lies when what is seen of it lies at a point of the graphics safe area. */
function inSafeArea(point: Point, { used, graphics_safe: safe }: BroadcastInfo): [number, number] {
  const [left, top] = atPoint(point, safe, used[2], used[3]);
  return [left - used[0], top - used[1]];
}

const megabytes = (bytes: number) =>
  bytes < 1e8 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.round(bytes / 1e6)} MB`;

/** What scaling it down saves; trimming saves nothing that the device does not throw away itself. */
function saving(remedy: BroadcastInfo["remedies"][number], info: BroadcastInfo): string {
  const width = remedy.settings.find(({ path }) => path.join(".") === "output.size.width")?.value;
  if (typeof width !== "number") return "";
  const share = (width / info.used[2]) ** 2;
  return `takes ${megabytes(info.trimmed_bytes * share)}, saves ${megabytes(info.trimmed_bytes * (1 - share))}`;
}

function Outside({ info, place: [left, top] }: { info: BroadcastInfo; place: [number, number] }) {
  const [x, y, width, height] = info.used;
  const box = [left + x, top + y, left + x + width, top + y + height] as const;
  const within = ([safeLeft, safeTop, across, down]: readonly number[]) =>
    box[0] >= (safeLeft ?? 0) &&
    box[1] >= (safeTop ?? 0) &&
    box[2] <= (safeLeft ?? 0) + (across ?? 0) &&
    box[3] <= (safeTop ?? 0) + (down ?? 0);
  if (!within([0, 0, ...info.raster])) return <Mark verdict="stop" word="hangs off the raster" />;
  if (!within(info.action_safe)) return <Mark verdict="look" word="outside the action safe area" />;
  if (!within(info.graphics_safe)) return <Mark verdict="look" word="outside the graphics safe area" />;
  return <Mark verdict="fine" word="in the safe areas" />;
}

/** The raster with its safe areas; what lies on it is pulled, or moved by the arrow keys. */
function Preview({
  bench,
  output,
  result,
  info,
  put,
}: {
  bench: Bench;
  output: FramesOutput;
  result: ResultInfo;
  info: BroadcastInfo;
  put: (left: number, top: number, gesture?: string) => void;
}) {
  const index = usePlayhead((state) => state.index);
  const playing = usePlayhead((state) => state.playing);
  const [hand, setHand] = useState<{ left: number; top: number } | null>(null);
  const scale = WIDE / info.raster[0];
  const [keptLeft, keptTop] = output.place ?? [0, 0];
  const { left, top } = hand ?? { left: keptLeft, top: keptTop };
  const pull = (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    const from = { x: event.clientX, y: event.clientY };
    let now = { left: keptLeft, top: keptTop };
    follow(
      event,
      (to) => {
        now = {
          left: Math.round(keptLeft + (to.clientX - from.x) / scale),
          top: Math.round(keptTop + (to.clientY - from.y) / scale),
        };
        setHand(now);
      },
      (calledOff) => {
        setHand(null);
        if (!calledOff && (now.left !== keptLeft || now.top !== keptTop)) put(now.left, now.top);
      },
    );
  };
  const nudge = (event: KeyboardEvent) => {
    const by = arrowStep(event);
    if (!by) return;
    put(keptLeft + by[0], keptTop + by[1], `raster-${bench.output.id}`);
  };
  const safe = ([x, y, width, height]: readonly number[]) => ({
    left: (x ?? 0) * scale,
    top: (y ?? 0) * scale,
    width: (width ?? 0) * scale,
    height: (height ?? 0) * scale,
  });
  return (
    <div
      className="relative overflow-hidden rounded-[6px] bg-stage"
      style={{ width: WIDE, height: info.raster[1] * scale }}
    >
      <button
        type="button"
        aria-label={`On the raster at ${left}, ${top}; arrow keys move it`}
        className="absolute cursor-move touch-none outline-offset-0"
        style={{
          left: left * scale,
          top: top * scale,
          width: result.info.width * scale,
          height: result.info.height * scale,
        }}
        onPointerDown={pull}
        onKeyDown={nudge}
      >
        <img
          src={playedFrameUrl(result, playing ? Math.floor(result.at.length / 2) : index)}
          alt=""
          draggable={false}
          className="size-full"
        />
        <span aria-hidden className="absolute border border-jay" style={safe(info.used)} />
      </button>
      <span
        aria-hidden
        title="Action safe"
        className="pointer-events-none absolute border border-[#fffdf9]/80"
        style={safe(info.action_safe)}
      />
      <span
        aria-hidden
        title="Graphics safe"
        className="pointer-events-none absolute border border-dashed border-[#fffdf9]/80"
        style={safe(info.graphics_safe)}
      />
    </div>
  );
}
