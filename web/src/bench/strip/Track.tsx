// The frames in true time proportion: drawn on a canvas, chosen and pulled by hand.

import {
  memo,
  useCallback,
  useDeferredValue,
  useEffect,
  useMemo,
  useRef,
  useState,
  type PointerEvent,
} from "react";
import { FLICKS, kilobytes } from "../../format";
import { show, usePlayhead } from "../../player/playhead";
import { follow } from "../../ui/drag";
import { useTheme } from "../../ui/theme";
import { edgeMoved, FLOOR } from "../delays";
import type { Bench } from "../edits";
import { printOf, thumbOf } from "../prints";
import { chosenPlaces, holdPlaces, select, shareOf, unscaled, useSelection } from "../selection";
import type { Timeline } from "../timeline";
import { colours, HEIGHT, paintFrames, paintMarks, TOP, type Scene } from "./paint";
import { indexAt, msAt, startOf, useZoom, visible, xOf, zoomed, type Scale } from "./scale";
import { fitted, usePainting } from "./usePainting";

/** Frames at least this wide can be pulled at their edge. */
const PULLED = 9;
/** So many frames at most are there one by one for pointers and screen readers. */
const MOST_CELLS = 400;

export interface Pull {
  delays: number[];
  perMs: number;
}

export function Track({
  bench,
  result,
  scale,
  delays,
  bars,
  onPull,
}: {
  bench: Bench;
  result: Timeline;
  scale: Scale;
  delays: readonly number[];
  /** What stands above the frames instead of their bytes. */
  bars: readonly number[] | undefined;
  onPull: (pull: Pull | null) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const dark = useTheme((state) => state.dark);
  const { places, anchor } = useSelection();
  const { holds } = bench.recipe.rhythm;
  const [fresh, setFresh] = useState(0);
  const again = useRef(0);
  const base = useRef<HTMLCanvasElement>(null);
  const { costs, positions } = result;
  const bytes = bars ?? costs;
  const { id, frame_set, frame_list: gathered } = bench.project;
  const files = useCallback(
    (index: number) => {
      const frame = gathered[(positions[index] ?? 0) - 1];
      return frame ? `${frame.number === null ? "" : `file ${frame.number}, `}${frame.name}` : "";
    },
    [gathered, positions],
  );
  const height = useMemo(() => {
    const others = bytes.length > 2 ? bytes.slice(1) : bytes;
    const usual = [...bytes].sort((a, b) => a - b)[bytes.length >> 1] ?? 0;
    return { tall: others.reduce((most, cost) => Math.max(most, cost), 1) * 1.1, usual };
  }, [bytes]);
  const picture = useCallback(
    (index: number, together: boolean) => {
      const frame = gathered[(positions[index] ?? 0) - 1];
      return frame && (together ? printOf({ id, frame_set }, frame) : thumbOf(frame));
    },
    [positions, gathered, id, frame_set],
  );
  const frames = useMemo(
    (): Omit<Scene, "chosen" | "held"> => ({ scale, bytes, ...height, picture }),
    [scale, bytes, height, picture],
  );
  const scene = useMemo(
    (): Scene => ({
      ...frames,
      chosen: (index) => places.has(result.places[index] ?? 0),
      held: (index) => String(result.places[index] ?? 0) in holds,
    }),
    [frames, result, places, holds],
  );

  // Frames and marks lie on two canvases: a selection drawn over thousands of frames paints none of them again.
  // Painted is once for each picture of the screen, however much has changed since the last.
  usePainting(() => {
    const context = fitted(base.current, scale.width, HEIGHT);
    if (!context) return;
    paintFrames(context, scene, colours(context.canvas), () => {
      // Pictures come in flocks; one more painting takes in all that came meanwhile.
      if (!again.current)
        again.current = requestAnimationFrame(() => {
          again.current = 0;
          setFresh((n) => n + 1);
        });
    });
  }, [frames, scale.width, dark, fresh]);
  usePainting(() => {
    const context = fitted(canvas.current, scale.width, HEIGHT);
    if (!context) return;
    context.clearRect(0, 0, scale.width, HEIGHT);
    paintMarks(context, scene, colours(context.canvas));
  }, [scene, scale.width, dark]);
  useEffect(() => () => cancelAnimationFrame(again.current), []);

  const box = useRef<HTMLDivElement>(null);
  const latest = useRef(scale);
  latest.current = scale;
  const at = useCallback(
    (event: { clientX: number }) =>
      indexAt(scale, msAt(scale, event.clientX - (box.current?.getBoundingClientRect().left ?? 0))),
    [scale],
  );
  const choose = (event: PointerEvent<HTMLDivElement>): number => {
    const index = at(event);
    select(result, index, event.shiftKey ? "through" : event.ctrlKey || event.metaKey ? "toggle" : "only");
    show(index);
    return index;
  };
  const pull = (event: PointerEvent<HTMLDivElement>, index: number) => {
    event.preventDefault();
    const place = result.places[index] ?? 0;
    const many = places.has(place) ? chosenPlaces() : [place];
    const next = result.places[index + 1] ?? result.places[0] ?? place;
    const before = [...delays];
    const from = event.clientX;
    const gesture = crypto.randomUUID();
    const begun = before[index] ?? 0;
    let last = begun;
    let neighbour = false;
    let still = true;
    const move = (moved: globalThis.PointerEvent) => {
      still &&= Math.abs(moved.clientX - from) < 3;
      // With Alt the next frame gives way, so that the total stays.
      neighbour = moved.altKey && next !== place;
      const after = before[index + 1] ?? before[0] ?? 0;
      const wished = begun + (moved.clientX - from) / scale.perMs;
      const most = neighbour ? begun + after - 20 : Infinity;
      const snapped = Math.min(most, Math.max(20, Math.round(wished / 10) * 10));
      if (snapped === last) return;
      last = snapped;
      const now = before.map((delay, i) =>
        many.includes(result.places[i] ?? 0) && !neighbour ? snapped : delay,
      );
      if (neighbour) {
        now[index] = snapped;
        now[(index + 1) % now.length] = begun + after - snapped;
      }
      onPull({ delays: now, perMs: scale.perMs });
    };
    const up = (calledOff: boolean) => {
      if (calledOff) onPull(null);
      else if (last === begun) {
        onPull(null);
        if (still) choose(event); // a click beside an edge is a click on a frame
      } else if (neighbour) {
        const by = unscaled(bench, ((last - begun) / 1000) * FLICKS);
        const least = unscaled(bench, FLOOR);
        bench.edit(
          `Edge of frame ${place} moved`,
          (recipe) => ({ ...recipe, rhythm: edgeMoved(recipe.rhythm, place, next, by, least, shareOf(bench)) }),
          gesture,
        );
      } else holdPlaces(bench, many, (last / 1000) * FLICKS, gesture);
    };
    follow(event, move, up);
  };

  const onDown = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0) return;
    const edge = (event.target as HTMLElement).dataset.edge;
    if (edge !== undefined) {
      pull(event, Number(edge));
      return;
    }
    let last = choose(event);
    const move = (moved: globalThis.PointerEvent) => {
      const over = at(moved);
      if (over !== last) select(result, (last = over), "through");
    };
    follow(event, move);
  };

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    let turned = { zoom: 0, pan: 0, x: 0 };
    let due = 0;
    // A wheel tells of itself more often than the screen is drawn.
    const take = () => {
      const { zoom } = useZoom.getState();
      const { zoom: by, pan, x } = turned;
      [turned, due] = [{ zoom: 0, pan: 0, x: 0 }, 0];
      const now = latest.current;
      if (by !== 0) useZoom.setState(zoomed(now, zoom, Math.exp(-by / 300), x));
      else useZoom.setState({ from: Math.max(0, Math.min(now.total, now.from + pan / now.perMs)) });
    };
    // A wheel that zooms must not zoom the page as well, which only a listener that is not passive can stop.
    const onWheel = (event: WheelEvent) => {
      const zooms = event.ctrlKey || event.metaKey;
      if (!zooms && useZoom.getState().zoom === 1) return;
      event.preventDefault();
      if (zooms) turned.zoom += event.deltaY;
      else turned.pan += Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.deltaY;
      turned.x = event.clientX - element.getBoundingClientRect().left;
      due ||= requestAnimationFrame(take);
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => {
      element.removeEventListener("wheel", onWheel);
      cancelAnimationFrame(due);
    };
  }, []);

  // Stepped by keys, the frame on show is the one that is told of; while it plays, the one chosen last.
  const stepped = usePlayhead((state) => (state.playing ? -1 : state.index));
  const focus = Math.max(0, Math.min(stepped >= 0 ? stepped : anchor, scale.ends.length - 1));
  const [from, to] = visible(scale);
  const active = each(scale) ? Math.min(Math.max(focus, from), to - 1) : focus;
  // Canvases follow the hand at once; what is there for pointers and screen readers may come a moment later.
  const settled = useDeferredValue(scale);
  return (
    <div
      ref={box}
      role="listbox"
      tabIndex={0}
      aria-label="Frames"
      aria-multiselectable
      aria-activedescendant={`strip-${active}`}
      className="relative touch-none outline-offset-[-2px]"
      style={{ height: HEIGHT }}
      onPointerDown={onDown}
    >
      <canvas ref={base} aria-hidden className="pointer-events-none absolute inset-0 h-full w-full" />
      <canvas ref={canvas} aria-hidden className="pointer-events-none absolute inset-0 h-full w-full" />
      <Cells
        scale={settled}
        result={result}
        delays={delays}
        focus={focus}
        places={places}
        holds={holds}
        files={files}
      />
    </div>
  );
}

/** Whether each frame can be told from the next, and there are few enough of them. */
function each(scale: Scale): boolean {
  const [from, to] = visible(scale);
  return to - from <= MOST_CELLS && (scale.total * scale.perMs) / Math.max(scale.ends.length, 1) >= 2;
}

/** The frames one by one, or the one in focus alone, as pointers and screen readers find them. */
const Cells = memo(function Cells({
  scale,
  result,
  delays,
  focus,
  places,
  holds,
  files,
}: {
  scale: Scale;
  result: Timeline;
  delays: readonly number[];
  focus: number;
  places: ReadonlySet<number>;
  holds: Readonly<Record<string, number>>;
  /** The file that a frame shows. */
  files: (index: number) => string;
}) {
  const [from, to] = visible(scale);
  const cells = each(scale) ? Array.from({ length: to - from }, (_, i) => from + i) : [focus];
  return (
    <>
      {cells.map((index) => {
        const left = xOf(scale, startOf(scale, index));
        const width = xOf(scale, scale.ends[index] ?? 0) - left;
        const lasts = Number((delays[index] ?? 0).toFixed(2));
        // Some formats do not tell what a frame weighs.
        const cost = result.costs[index];
        const weighs = cost === undefined ? "" : `, ${kilobytes(cost)} KB`;
        const held = String(result.places[index] ?? 0) in holds ? ", custom delay" : "";
        const what = result.blends[String(index)]
          ? ", blended"
          : result.positions[index] === 0
            ? ", blank"
            : "";
        return (
          <div
            key={index}
            id={`strip-${index}`}
            role="option"
            aria-selected={places.has(result.places[index] ?? 0)}
            aria-label={`Frame ${index + 1} of ${delays.length}, ${lasts} ms${held}${what}${weighs}`}
            title={`Frame ${index + 1} · ${files(index)} · ${lasts} ms${held}${what}${weighs.replace(",", " ·")}`}
            className="absolute inset-y-0"
            style={{ left, width: Math.max(width, 0.5) }}
          >
            {width >= PULLED && (
              <span
                aria-hidden
                data-edge={index}
                className="absolute right-[-3px] bottom-0 z-10 w-[7px] cursor-ew-resize hover:bg-jay/50"
                style={{ top: TOP }}
              />
            )}
          </div>
        );
      })}
    </>
  );
});
