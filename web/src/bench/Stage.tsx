// The picture, alone on untinted grey: result, source, a wipe between both, or their difference.

import { Layers, Search } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { sourceUrl, type JobInfo } from "../api/client";
import { size } from "../format";
import { openSource, type FrameSource } from "../player/frames";
import type { Growing } from "../player/growing";
import { usePlayhead } from "../player/playhead";
import { usePlayed, type Played } from "../player/usePlayed";
import { useRoom } from "../ui/useRoom";
import { Segmented, Tip } from "../ui/controls";
import type { Bench } from "./edits";
import { pageColour } from "./framing";
import { Loupe } from "./Loupe";
import {
  light,
  MOST_ERROR,
  paint,
  paintAlpha,
  paintBackdrops,
  paintChanges,
  paintEnds,
  paintError,
  shineThrough,
} from "./paint";
import { colourAt, usePick } from "./pick";
import { StageNews } from "./StageNews";
import type { Shown } from "./useShown";
import { useSoFar } from "./useSoFar";
import { WipeHandle } from "./WipeHandle";
import {
  BACKDROPS,
  NEEDS_SOURCE,
  setView,
  toggleLoupe,
  toggleNeighbours,
  useView,
  VIEWS,
  ZOOMS,
  type Backdrop,
} from "./view";

export function Stage({
  bench,
  shown,
  growing,
  coding,
  error,
  behind,
  busy,
  job,
  onCancel,
  onRetry,
  overlay,
}: {
  bench: Bench;
  shown: Shown | null;
  /** What is coded so far of a newer result than that which is shown. */
  growing: Growing | null;
  /** That is the output as it is now. */
  coding: boolean;
  error: string;
  behind: boolean;
  busy: boolean;
  job: JobInfo | undefined;
  onCancel: () => void;
  onRetry: () => void;
  /** What lies over the picture, of which a pixel has so many of the screen. */
  overlay?: (scale: number) => ReactNode;
}) {
  const { view, backdrop, zoom, wipe, neighbours, reach, loupe } = useView();
  const [area, room] = useRoom();
  const source = useSource(shown, loupe || NEEDS_SOURCE.includes(view));
  const info = shown?.result.info;
  const alike = growing !== null && growing.width === info?.width && growing.height === info.height;
  const frames = useMemo(
    () => shown && (alike ? together(growing, shown.frames) : shown.frames),
    [shown, growing, alike],
  );
  const across = view === "backdrops" ? 3 : 1;
  const scale = info ? scaleFor(zoom, { width: info.width * across, height: info.height }, room) : 1;
  const matte = pageColour(bench.output);
  return (
    <section
      aria-label="Stage"
      className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage"
      data-decoder={shown?.frames.decoder ?? ""}
      data-result={shown?.result.id ?? ""}
      data-revision={shown?.result.revision_id ?? ""}
    >
      <div ref={area} className="absolute inset-x-3 top-3 bottom-[52px] overflow-auto">
        <div className="flex min-h-full min-w-full items-center justify-center">
          {shown && info && frames ? (
            <div
              className={`relative shrink-0 ${backdrop === "chequer" ? "chequer" : ""}`}
              style={{
                width: info.width * across * scale,
                height: info.height * scale,
                background: backdropColour(backdrop, matte),
              }}
            >
              <Picture shown={shown} frames={frames} source={source} scale={scale} matte={matte} />
              {view !== "backdrops" && overlay?.(scale)}
              {loupe && !["ends", "backdrops"].includes(view) && (
                <Loupe frames={frames} source={source} scale={scale} />
              )}
              {["result", "source", "wipe", "difference", "error"].includes(view) && (
                <PlaceMark scale={scale} />
              )}
              {view === "wipe" && <WipeHandle wipe={wipe} name="Wipe between source and result" />}
            </div>
          ) : job?.state === "failed" ? null : growing ? (
            <Newest growing={growing} room={room} zoom={zoom} />
          ) : (
            <p className="rounded-[8px] bg-card px-4 py-2">
              {error ? "The output cannot be shown." : "Encoding the first output…"}
            </p>
          )}
        </div>
      </div>
      {shown && info && (
        <>
          {(view === "wipe" || view === "source") && (
            <Label side="left" text={source && source.count > 0 ? "source" : "source …"} />
          )}
          {view === "ends" && <Label side="left" text="last" />}
          {view === "ends" && <Label side="right" text="first" />}
          {view === "difference" && <Label side="left" text="difference × 8" />}
          {view === "error" && <ErrorKey />}
          {view === "changes" && <Label side="left" text="changed pixels; the rest is dimmed" />}
          {(view === "wipe" || view === "result") && (
            <ResultLabel bytes={info.bytes} behind={behind} coding={alike && coding} />
          )}
        </>
      )}
      {!shown && coding && <NewestLabel />}
      <StageNews job={job} busy={busy} error={error} onCancel={onCancel} onRetry={onRetry} />
      <div className="absolute bottom-3 left-3 flex items-center gap-2">
        <div className="rounded-[8px] bg-card p-0.5">
          <Segmented dark label="View" value={view} choices={VIEWS} onChange={setView} />
        </div>
        <div
          role="radiogroup"
          aria-label="Backdrop"
          className="flex gap-1.5 rounded-[8px] bg-card p-[5px]"
          onKeyDown={(event) => {
            const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
            if (by === undefined) return;
            event.preventDefault();
            event.stopPropagation();
            const next = (BACKDROPS.indexOf(backdrop) + by + BACKDROPS.length) % BACKDROPS.length;
            useView.setState({ backdrop: BACKDROPS[next] });
            event.currentTarget.querySelectorAll<HTMLElement>("[role=radio]")[next]?.focus();
          }}
        >
          {BACKDROPS.map((one) => (
            <Tip key={one} text={`Over ${one === "page" ? "the page colour" : one}`} keys="B">
              <button
                type="button"
                role="radio"
                aria-checked={backdrop === one}
                tabIndex={backdrop === one ? 0 : -1}
                aria-label={one}
                onClick={() => useView.setState({ backdrop: one })}
                className={`size-5 rounded-full border ${one === "chequer" ? "chequer" : ""} ${backdrop === one ? "border-jay outline-2 outline-jay" : "border-ink-3"}`}
                style={{ background: backdropColour(one, matte) }}
              />
            </Tip>
          ))}
        </div>
        <div className="rounded-[8px] bg-card p-0.5">
          <Segmented
            dark
            label="Zoom"
            value={zoom}
            choices={ZOOMS}
            onChange={(next) => useView.setState({ zoom: next })}
          />
        </div>
        <Toggle
          name="Onion skin"
          tip="Show the frames before and after, faintly"
          keys="N"
          on={neighbours}
          onClick={toggleNeighbours}
        >
          <Layers size={15} />
        </Toggle>
        <Toggle
          name="Loupe"
          tip="Loupe: the pixels under the pointer, in source and result"
          keys="L"
          on={loupe}
          onClick={toggleLoupe}
        >
          <Search size={15} />
        </Toggle>
        {neighbours && (
          <div className="rounded-[8px] bg-card p-0.5">
            <Segmented
              dark
              label="Onion skin, frames each side"
              value={String(reach)}
              choices={["1", "2", "3"].map((value) => ({ value, label: value, keys: "Shift N" }))}
              onChange={(next) => useView.setState({ reach: Number(next) })}
            />
          </div>
        )}
      </div>
    </section>
  );
}

export function backdropColour(backdrop: Backdrop, matte: string): string | undefined {
  return { chequer: undefined, page: matte, black: "#000", white: "#fff" }[backdrop];
}

/** The side of what is looked at as one when it is told where something stands out, in pixels. */
const TILE = 16;

/** Whole multiples when there is room for them, so that pixels stay pixels; otherwise as large as fits. */
function scaleFor(
  zoom: string,
  info: { width: number; height: number },
  room: { width: number; height: number },
): number {
  if (zoom !== "fit") return Number(zoom);
  const most = Math.min(room.width / info.width, room.height / info.height);
  return most >= 1 ? Math.floor(most) : Math.max(most, 0.05);
}

function useSource(shown: Shown | null, wanted: boolean): FrameSource | null {
  const result = shown?.result;
  const key = result ? result.sources || String(result.id) : "";
  const urls = useMemo(
    () =>
      result && wanted
        ? result.positions.map((position, index) =>
            sourceUrl(result, result.blends[String(index)] ?? String(position)),
          )
        : [],
    // Results with the same key have the same sources, whichever revision asks: no need to fetch them again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [key, wanted],
  );
  const [source, setSource] = useState<FrameSource | null>(null);
  useEffect(() => {
    if (urls.length === 0 || !result) {
      setSource(null);
      return;
    }
    const next = openSource(urls, result.info);
    setSource(next);
    return () => next.close();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [urls]);
  return source;
}

/** What is coded so far, and beyond that what was there before. */
function together(soFar: FrameSource, before: FrameSource): FrameSource {
  const of = (index: number) => (index < soFar.count ? soFar : before);
  return {
    ...{ count: before.count, width: before.width, height: before.height, decoder: before.decoder },
    peek: (index) => of(index).peek(index),
    get: (index) => of(index).get(index),
    close: () => undefined,
  };
}

const codedSoFar = ({ steps, bytes }: { steps: number; bytes: number }) =>
  `${steps} ${steps === 1 ? "frame" : "frames"} encoded so far · ${size(bytes)}`;

/** Whether the frame under the playhead is the result, is coded already, or is from before the last change. */
function ResultLabel({ bytes, behind, coding }: { bytes: number; behind: boolean; coding: boolean }) {
  const soFar = useSoFar();
  const coded = usePlayhead(({ index }) => coding && index < soFar.steps);
  if (!behind) return <Label side="right" text={`result · ${size(bytes)}`} />;
  return (
    <Label side="right" text={coded ? `result · ${codedSoFar(soFar)}` : "result · before the last change"} />
  );
}

function NewestLabel() {
  return <Label side="right" text={codedSoFar(useSoFar())} />;
}

/** The frame that was coded last, while there is nothing to play yet. */
function Newest({
  growing: frames,
  room,
  zoom,
}: {
  growing: Growing;
  room: { width: number; height: number };
  zoom: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const steps = useSoFar((state) => state.steps);
  const scale = scaleFor(zoom, frames, room);
  useEffect(() => {
    let over = false;
    frames
      .get(steps - 1)
      .then((picture) => {
        const context = over ? null : canvas.current?.getContext("2d");
        if (context) paint(context, "result", 0, picture, undefined);
      })
      .catch(() => undefined);
    return () => {
      over = true;
    };
  }, [frames, steps]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="The newest encoded frame"
      width={frames.width}
      height={frames.height}
      className="chequer"
      style={{ width: frames.width * scale, imageRendering: scale >= 1 ? "pixelated" : "auto" }}
    />
  );
}

function Picture({
  shown,
  frames,
  source,
  scale,
  matte,
}: {
  shown: Shown;
  frames: FrameSource;
  source: FrameSource | null;
  scale: number;
  matte: string;
}) {
  const taker = usePick((state) => state.taker);
  const { view, wipe, neighbours, reach, lit } = useView();
  const { width, height } = shown.result.info;
  const canvas = usePlayed(
    useMemo<Played>(() => {
      const count = Math.max(frames.count, 1);
      return {
        count,
        takes: (step) => {
          if (view === "ends")
            return [
              [frames, count - 1],
              [frames, 0],
            ];
          if (view === "changes")
            return [
              [frames, step],
              [frames, (step - 1 + count) % count],
            ];
          const asked: [FrameSource, number][] = view === "source" ? [] : [[frames, step]];
          return source ? [...asked, [source, step]] : asked;
        },
        paint: (context, pictures, step) => {
          const [first, second] = pictures;
          const [result, true_] = view === "source" ? [undefined, first] : [first, second];
          if (view === "ends") {
            if (first && second) paintEnds(context, first, second);
          } else if (view === "alpha" && result) paintAlpha(context, result);
          else if (view === "backdrops" && result)
            paintBackdrops(context, result, ["#000000", "#ffffff", matte]);
          else if (view === "error") {
            if (result && true_) paintError(context, result, true_);
            else context.clearRect(0, 0, context.canvas.width, context.canvas.height);
          } else if (view === "changes") {
            if (first) paintChanges(context, first, second);
          } else paint(context, view, wipe, result, true_);
          if (lit && view === "result") light(context, lit);
          if (neighbours && view === "result")
            for (let far = Math.min(reach, count >> 1); far > 0; far -= 1)
              for (const beside of [(step - far + count) % count, (step + far) % count]) {
                const picture = frames.peek(beside);
                if (picture) shineThrough(context, picture, far);
              }
          context.canvas.dataset.index = String(step);
        },
        // The frame under the playhead is coded anew.
        watch: (draw) =>
          useSoFar.subscribe((now, before) => {
            const { index } = usePlayhead.getState();
            if (now.steps > index && (before.steps <= index || before.frames !== now.frames)) draw();
          }),
      };
    }, [frames, source, view, wipe, neighbours, reach, matte, lit]),
  );
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="The picture, playing"
      width={view === "backdrops" ? width * 3 : width}
      height={height}
      className={`absolute inset-0 h-full w-full ${taker ? "z-10 cursor-crosshair" : ""}`}
      style={{ imageRendering: scale >= 1 ? "pixelated" : "auto" }}
      onClick={(event) => {
        const colour = taker && colourAt(event.currentTarget, event.clientX, event.clientY);
        if (colour) taker(colour);
        if (taker) usePick.setState({ taker: null });
      }}
    />
  );
}

function Toggle({
  name,
  tip,
  keys,
  on,
  onClick,
  children,
}: {
  name: string;
  tip: string;
  keys: string;
  on: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <Tip text={tip} keys={keys}>
      <button
        type="button"
        aria-pressed={on}
        aria-label={name}
        onClick={onClick}
        className={`grid h-[30px] w-[32px] place-items-center rounded-[8px] ${on ? "bg-strong text-on-strong" : "bg-card text-ink-2 hover:text-ink"}`}
      >
        {children}
      </button>
    </Tip>
  );
}

/** Around what was gone to, as long as its frame is on show. */
function PlaceMark({ scale }: { scale: number }) {
  const mark = useView((state) => state.mark);
  const here = usePlayhead((state) => mark !== null && state.index === mark.step);
  if (!mark || !here) return null;
  const [left, top] = mark.place;
  return (
    <span
      role="img"
      aria-label="What stands out"
      className="pointer-events-none absolute rounded-[4px] border-2 border-white shadow-[0_0_0_2px_rgb(0_0_0/0.6),inset_0_0_0_1px_rgb(0_0_0/0.5)]"
      style={{
        left: (left - TILE) * scale,
        top: (top - TILE) * scale,
        width: 3 * TILE * scale,
        height: 3 * TILE * scale,
      }}
    />
  );
}

/** What the colours of the error map mean. */
function ErrorKey() {
  return (
    <span className="pointer-events-none absolute top-3 left-3 flex items-center gap-2 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
      error 0
      <span className="h-2 w-[72px] rounded-[2px] bg-[linear-gradient(90deg,#000,#461478,#be285a,#fa9628,#fff)] outline outline-[#fffdf9]/50" />
      {MOST_ERROR} levels
    </span>
  );
}

function Label({ side, text }: { side: "left" | "right"; text: string }) {
  return (
    <span
      className={`pointer-events-none absolute top-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9] ${side === "left" ? "left-3" : "right-3"}`}
    >
      {text}
    </span>
  );
}
