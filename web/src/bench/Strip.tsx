// The rhythm strip: frames as wide as they are long, what each costs above it, one playhead through all.

import { ChevronLeft, ChevronRight, Pause, Play, SkipBack } from "lucide-react";
import { memo, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { thumbUrl } from "../api/client";
import { FLICKS, kilobytes, parseDelay, seconds } from "../format";
import { show, step, toggle, usePlayhead } from "../player/playhead";
import { Button, IconButton, TextField } from "../ui/controls";
import { useWidth } from "../ui/useWidth";
import type { Bench } from "./edits";
import { holdFrames, leaveOut, positionsOf, releaseFrames, select, selectAll, useSelection } from "./selection";
import type { Shown } from "./useShown";

const SKYLINE = 40;

export function Strip({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const result = shown?.result;
  const [track, width] = useWidth();
  // While an edge is pulled the scale stands still, so that the edge stays under the hand.
  const [pull, setPull] = useState<{ delays: number[]; perMs: number } | null>(null);
  const real = useMemo(() => result?.info.frames.map((frame) => frame.delay_ms) ?? [], [result]);
  useEffect(() => setPull((before) => before && null), [real]);
  const delays = pull?.delays ?? real;
  const total = delays.reduce((sum, delay) => sum + delay, 0);
  const perMs = pull?.perMs ?? (total > 0 ? width / total : 0);
  const bytes = useMemo(() => result?.info.frames.map((frame) => frame.bytes) ?? [], [result]);
  const tall = useMemo(() => {
    const others = bytes.length > 2 ? bytes.slice(1) : bytes;
    return Math.max(...others, 1) * 1.1;
  }, [bytes]);
  const usual = useMemo(() => [...bytes].sort((a, b) => a - b)[bytes.length >> 1] ?? 0, [bytes]);
  const chosen = useSelection((state) => state.chosen);
  useEffect(() => useSelection.setState({ chosen: new Set(), anchor: -1 }), [bench.project.id]);
  const held = bench.recipe.rhythm.holds;
  const every = Math.max(1, Math.ceil(26 / Math.max(1, width / Math.max(delays.length, 1))));

  const dragging = useRef(false);
  const onDown = (event: PointerEvent, index: number) => {
    if (event.button !== 0) return;
    dragging.current = true;
    select(index, event.shiftKey ? "through" : event.ctrlKey || event.metaKey ? "toggle" : "only");
    show(index);
  };
  useEffect(() => {
    const up = () => (dragging.current = false);
    window.addEventListener("pointerup", up);
    return () => window.removeEventListener("pointerup", up);
  }, []);

  const pullEdge = (event: PointerEvent<HTMLElement>, index: number) => {
    event.stopPropagation();
    event.preventDefault();
    const handle = event.currentTarget;
    handle.setPointerCapture(event.pointerId);
    const from = event.clientX;
    const before = [...real];
    const scale = total > 0 ? width / total : 0;
    const many = chosen.has(index) ? [...chosen] : [index];
    const gesture = crypto.randomUUID();
    let last = before[index] ?? 0;
    const move = (moved: globalThis.PointerEvent) => {
      const wished = (before[index] ?? 0) + (moved.clientX - from) / scale;
      const snapped = Math.max(20, Math.round(wished / 10) * 10);
      if (snapped === last) return;
      last = snapped;
      const now = [...before];
      for (const one of many) now[one] = snapped;
      setPull({ delays: now, perMs: scale });
    };
    const up = () => {
      handle.removeEventListener("pointermove", move);
      handle.removeEventListener("pointerup", up);
      if (last !== before[index]) holdFrames(bench, positionsOf(bench, many), (last / 1000) * FLICKS, gesture);
      else setPull(null);
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", up);
  };

  const place = delays.length > 0 ? delays : [];
  let left = 0;
  return (
    <section
      aria-label="Rhythm strip"
      className="alone rounded-[12px] border border-line bg-card px-3 pt-2.5 pb-2.5"
    >
      <Transport bench={bench} shown={shown} />
      <div ref={track} className="relative mt-2 overflow-hidden select-none">
        {result ? (
          <div role="listbox" aria-label="Frames" aria-multiselectable className="relative h-[96px]">
            {place.map((delay, index) => {
              const x = left;
              left += delay * perMs;
              return (
                <FrameCell
                  key={index}
                  index={index}
                  x={x}
                  width={delay * perMs}
                  delay={delay}
                  bytes={bytes[index] ?? 0}
                  share={Math.min(1, (bytes[index] ?? 0) / tall)}
                  costly={(bytes[index] ?? 0) > usual * 2}
                  picture={bench.project.frame_list[(result.positions[index] ?? 0) - 1]?.sha256 ?? ""}
                  numbered={index % every === 0}
                  chosen={chosen.has(index)}
                  held={String(result.positions[index] ?? "") in held}
                  onDown={onDown}
                  onEnter={(entered) => dragging.current && select(entered, "through")}
                  onEdge={pullEdge}
                />
              );
            })}
          </div>
        ) : (
          <div className="flex h-[96px] items-center justify-center rounded-[7px] bg-well text-ink-2">
            The frames lie here as soon as the first output is made
          </div>
        )}
        <Ruler total={total} perMs={perMs} width={width} />
        {result && <Needle delays={delays} perMs={perMs} total={total} />}
      </div>
    </section>
  );
}

const FrameCell = memo(function FrameCell({
  index,
  x,
  width,
  delay,
  bytes,
  share,
  costly,
  picture,
  numbered,
  chosen,
  held,
  onDown,
  onEnter,
  onEdge,
}: {
  index: number;
  x: number;
  width: number;
  delay: number;
  bytes: number;
  share: number;
  costly: boolean;
  picture: string;
  numbered: boolean;
  chosen: boolean;
  held: boolean;
  onDown: (event: PointerEvent, index: number) => void;
  onEnter: (index: number) => void;
  onEdge: (event: PointerEvent<HTMLElement>, index: number) => void;
}) {
  const gap = width > 5 ? 1 : 0;
  return (
    <div
      role="option"
      aria-selected={chosen}
      aria-label={`Frame ${index + 1}, ${delay} ms${held ? ", held" : ""}, ${kilobytes(bytes)} KB`}
      title={`Frame ${index + 1} · ${delay} ms · ${kilobytes(bytes)} KB`}
      className="absolute inset-y-0"
      style={{ left: x, width: Math.max(width - gap, 0.5) }}
      onPointerDown={(event) => onDown(event, index)}
      onPointerEnter={() => onEnter(index)}
    >
      <span
        aria-hidden
        className={`absolute inset-x-0 rounded-t-[2px] ${costly ? "bars" : chosen ? "bg-jay" : "bg-jay-pale"}`}
        style={{ height: Math.max(2, share * SKYLINE), top: SKYLINE - Math.max(2, share * SKYLINE) }}
      />
      <span
        aria-hidden
        className={`absolute inset-x-0 top-[43px] bottom-0 overflow-hidden rounded-[4px] bg-stage ${chosen ? "outline-2 -outline-offset-2 outline-jay" : ""}`}
      >
        {width > 3 && picture && (
          <img
            src={thumbUrl(picture)}
            alt=""
            loading="lazy"
            draggable={false}
            className="h-full w-full object-cover"
          />
        )}
        {chosen && <span className="absolute inset-0 bg-jay/25" />}
        {numbered && width > 9 && (
          <span className="figure absolute bottom-0.5 left-0.5 rounded-[3px] bg-[#1c2530]/75 px-[3px] text-[10.5px] leading-[14px] text-white">
            {index + 1}
          </span>
        )}
        {held && <span className="absolute inset-x-0 top-0 h-[3px] bg-buff" />}
      </span>
      {width >= 9 && (
        <span
          aria-hidden
          data-edge={index}
          className="absolute top-[43px] right-[-3px] bottom-0 z-10 w-[7px] cursor-ew-resize hover:bg-jay/50"
          onPointerDown={(event) => onEdge(event, index)}
        />
      )}
    </div>
  );
});

function Ruler({ total, perMs, width }: { total: number; perMs: number; width: number }) {
  const steps = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 30000, 60000];
  const label = steps.find((one) => one * perMs >= 90) ?? 60000;
  const tick = steps.findLast((one) => one * perMs >= 9 && label % one === 0) ?? label;
  const fine = steps.find((one) => one * perMs >= 9 && label % one === 0) ?? tick;
  const marks = [];
  if (perMs > 0) for (let at = 0; at <= total && at * perMs <= width; at += fine) marks.push(at);
  const to = label % 1000 === 0 ? 0 : label % 100 === 0 ? 1 : 2;
  return (
    <div
      className="relative h-[20px] cursor-pointer"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        scrub(event, perMs);
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) scrub(event, perMs);
      }}
    >
      {marks.map((at) => (
        <span
          key={at}
          className={`absolute top-[3px] w-px bg-ink-3 ${at % label === 0 ? "h-[7px]" : "h-[4px] opacity-60"}`}
          style={{ left: at * perMs }}
        >
          {at % label === 0 && at * perMs < width - 30 && (
            <span className="figure absolute top-[4px] left-[4px] text-[11px] whitespace-nowrap text-ink-2">
              {(at / 1000).toFixed(to)} s
            </span>
          )}
        </span>
      ))}
    </div>
  );
}

function scrub(event: PointerEvent<HTMLElement>, perMs: number): void {
  const at = (event.clientX - event.currentTarget.getBoundingClientRect().left) / Math.max(perMs, 1e-9);
  const { line } = usePlayhead.getState();
  const index = line.ends.findIndex((end) => at < end);
  show(index < 0 ? line.ends.length - 1 : index);
}

/** The playhead: moved without rendering anything else. */
function Needle({ delays, perMs, total }: { delays: readonly number[]; perMs: number; total: number }) {
  const needle = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const place = () => {
      const { at } = usePlayhead.getState();
      if (needle.current) needle.current.style.transform = `translateX(${Math.min(at, total) * perMs}px)`;
    };
    place();
    return usePlayhead.subscribe(place);
  }, [perMs, total]);
  const index = usePlayhead((state) => state.index);
  return (
    <div
      ref={needle}
      role="slider"
      tabIndex={0}
      aria-label="Playhead"
      aria-valuemin={1}
      aria-valuemax={delays.length}
      aria-valuenow={index + 1}
      aria-valuetext={`Frame ${index + 1} of ${delays.length}`}
      className="pointer-events-none absolute inset-y-0 left-0 w-0"
      onKeyDown={(event) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (by) step(by);
      }}
    >
      <span className="absolute top-0 bottom-[10px] left-[-1px] w-[2px] bg-ink" />
      <span className="absolute top-0 left-[-6px] border-x-[6px] border-t-[7px] border-x-transparent border-t-ink" />
    </div>
  );
}

function Transport({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const playing = usePlayhead((state) => state.playing);
  const index = usePlayhead((state) => state.index);
  const chosen = useSelection((state) => state.chosen);
  const info = shown?.result.info;
  const frames = info?.frames ?? [];
  const before = frames.slice(0, index).reduce((sum, frame) => sum + frame.delay_ms, 0);
  const one = frames[[...chosen][0] ?? index];
  const same = [...chosen].every((other) => frames[other]?.delay_ms === one?.delay_ms);
  const positions = positionsOf(bench, chosen);
  const holds = bench.recipe.rhythm.holds;
  const bytes = [...chosen].reduce((sum, other) => sum + (frames[other]?.bytes ?? 0), 0);
  return (
    <div className="flex h-[30px] items-center gap-2">
      <IconButton
        tip={playing ? "Pause" : "Play"}
        keys="Space"
        look="strong"
        onClick={toggle}
        disabled={!shown}
      >
        {playing ? <Pause size={14} fill="currentColor" /> : <Play size={14} fill="currentColor" />}
      </IconButton>
      <IconButton tip="First frame" keys="Home" onClick={() => show(0)} disabled={!shown}>
        <SkipBack size={14} />
      </IconButton>
      <IconButton tip="One frame back" keys="←" onClick={() => step(-1)} disabled={!shown}>
        <ChevronLeft size={15} />
      </IconButton>
      <IconButton tip="One frame on" keys="→" onClick={() => step(1)} disabled={!shown}>
        <ChevronRight size={15} />
      </IconButton>
      <span className="figure ml-1 min-w-[210px]">
        <b>
          frame {info ? index + 1 : 0} of {info?.count ?? 0}
        </b>{" "}
        <span className="text-ink-2">{seconds(before)} s</span>
      </span>
      <span className="grow" />
      {chosen.size > 0 ? (
        <>
          <span role="status" aria-label="Selection" className="text-ink-2">
            {chosen.size} selected, <span className="figure">{kilobytes(bytes)} KB</span>
          </span>
          <TextField
            label="Delay of the selected frames"
            value={same && one ? `${one.delay_ms / 10} cs` : "mixed"}
            read={(text) => (parseDelay(text) === null ? (text === "mixed" ? text : null) : text)}
            onCommit={(text) => {
              const flicks = parseDelay(text);
              if (flicks !== null) holdFrames(bench, positions, flicks);
            }}
            className="w-[76px] text-right"
          />
          {positions.some((position) => String(position) in holds) && (
            <Button onClick={() => releaseFrames(bench, positions)}>Back to the rate</Button>
          )}
          <Button onClick={() => leaveOut(bench)}>Leave out</Button>
        </>
      ) : (
        <Button look="quiet" disabled={!info} onClick={() => selectAll(info?.count ?? 0)}>
          Select all
        </Button>
      )}
      <span className="h-5 border-l border-line" />
      <span className="text-ink-2">
        this frame{" "}
        <b className="figure inline-block min-w-[62px] text-right text-ink">
          {frames[index] ? `${(frames[index].bytes / 1024).toFixed(1)} KB` : "–"}
        </b>
      </span>
    </div>
  );
}
