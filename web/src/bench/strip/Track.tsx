// The frames in true time proportion: drawn on a canvas, chosen and pulled by hand.

import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import type { ResultInfo } from "../../api/client";
import { FLICKS, kilobytes } from "../../format";
import { show } from "../../player/playhead";
import { useTheme } from "../../ui/theme";
import { edgeMoved } from "../delays";
import type { Bench } from "../edits";
import { chosenPlaces, FLOOR, holdPlaces, select, unscaled, useSelection } from "../selection";
import { colours, HEIGHT, paintFrames, paintMarks, TOP, type Scene } from "./paint";
import { indexAt, msAt, startOf, useZoom, visible, xOf, zoomed, type Scale } from "./scale";

/** Frames at least this wide can be pulled at their edge. */
const PULLED = 9;
/** So many frames at most are there one by one for pointers and screen readers. */
const MOST_CELLS = 200;

/** A canvas as wide as the strip, sharp on this display. */
function fitted(canvas: HTMLCanvasElement | null, across: number): CanvasRenderingContext2D | null {
  const context = canvas?.getContext("2d");
  if (!canvas || !context || across === 0) return null;
  const ratio = window.devicePixelRatio;
  const [width, height] = [Math.round(across * ratio), Math.round(HEIGHT * ratio)];
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  return context;
}

export interface Pull {
  delays: number[];
  perMs: number;
}

export function Track({
  bench,
  result,
  scale,
  delays,
  onPull,
}: {
  bench: Bench;
  result: ResultInfo;
  scale: Scale;
  delays: readonly number[];
  onPull: (pull: Pull | null) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const dark = useTheme((state) => state.dark);
  const { places, anchor } = useSelection();
  const { holds } = bench.recipe.rhythm;
  const [fresh, setFresh] = useState(0);
  const again = useRef(0);
  const base = useRef<HTMLCanvasElement>(null);
  const frames = useMemo((): Omit<Scene, "chosen" | "held"> => {
    const bytes = result.info.frames.map((frame) => frame.bytes);
    const others = bytes.length > 2 ? bytes.slice(1) : bytes;
    return {
      scale,
      bytes,
      tall: Math.max(...others, 1) * 1.1,
      usual: [...bytes].sort((a, b) => a - b)[bytes.length >> 1] ?? 0,
      pictures: result.positions.map((position) => bench.project.frame_list[position - 1]?.sha256 ?? ""),
    };
  }, [scale, result, bench.project.frame_list]);
  const scene = useMemo(
    (): Scene => ({
      ...frames,
      chosen: (index) => places.has(result.places[index] ?? 0),
      held: (index) => String(result.places[index] ?? 0) in holds,
    }),
    [frames, result, places, holds],
  );

  // Frames and marks lie on two canvases: a selection drawn over thousands of frames paints none of them again.
  useEffect(() => {
    const context = fitted(base.current, scale.width);
    if (!context) return;
    paintFrames(context, scene, colours(context.canvas), () => {
      // Pictures come in flocks; one more painting takes in all that came meanwhile.
      if (!again.current)
        again.current = requestAnimationFrame(() => {
          again.current = 0;
          setFresh((n) => n + 1);
        });
    });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- not for a change of the selection alone
  }, [frames, scale.width, dark, fresh]);
  useEffect(() => {
    const context = fitted(canvas.current, scale.width);
    if (!context) return;
    context.clearRect(0, 0, scale.width, HEIGHT);
    paintMarks(context, scene, colours(context.canvas));
  }, [scene, scale.width, dark]);
  useEffect(() => () => cancelAnimationFrame(again.current), []);

  const box = useRef<HTMLDivElement>(null);
  const at = useCallback(
    (event: { clientX: number }) =>
      indexAt(scale, msAt(scale, event.clientX - (box.current?.getBoundingClientRect().left ?? 0))),
    [scale],
  );
  const pull = (event: PointerEvent<HTMLDivElement>, index: number) => {
    event.preventDefault();
    const element = event.currentTarget;
    element.setPointerCapture(event.pointerId);
    const place = result.places[index] ?? 0;
    const many = places.has(place) ? chosenPlaces() : [place];
    const next = result.places[index + 1] ?? result.places[0] ?? place;
    const before = [...delays];
    const from = event.clientX;
    const gesture = crypto.randomUUID();
    const begun = before[index] ?? 0;
    let last = begun;
    let neighbour = false;
    const move = (moved: globalThis.PointerEvent) => {
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
    const up = () => {
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointercancel", up);
      if (last === begun) onPull(null);
      else if (neighbour) {
        const by = unscaled(bench, ((last - begun) / 1000) * FLICKS);
        const least = unscaled(bench, FLOOR);
        bench.edit(
          `Edge of frame ${place} moved`,
          (recipe) => ({ ...recipe, rhythm: edgeMoved(recipe.rhythm, place, next, by, least) }),
          gesture,
        );
      } else holdPlaces(bench, many, (last / 1000) * FLICKS, gesture);
    };
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointercancel", up);
  };

  const onDown = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0) return;
    const edge = (event.target as HTMLElement).dataset.edge;
    if (edge !== undefined) {
      pull(event, Number(edge));
      return;
    }
    const index = at(event);
    select(result, index, event.shiftKey ? "through" : event.ctrlKey || event.metaKey ? "toggle" : "only");
    show(index);
    const element = event.currentTarget;
    element.setPointerCapture(event.pointerId);
    let last = index;
    const move = (moved: globalThis.PointerEvent) => {
      const over = at(moved);
      if (over !== last) select(result, (last = over), "through");
    };
    const up = () => {
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointercancel", up);
    };
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointercancel", up);
  };

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    // A wheel that zooms must not zoom the page as well, which only a listener that is not passive can stop.
    const onWheel = (event: WheelEvent) => {
      const { zoom } = useZoom.getState();
      if (event.ctrlKey || event.metaKey) {
        event.preventDefault();
        const x = event.clientX - element.getBoundingClientRect().left;
        useZoom.setState(zoomed(scale, zoom, Math.exp(-event.deltaY / 300), x));
      } else if (zoom > 1) {
        event.preventDefault();
        const by = Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.deltaY;
        useZoom.setState({ from: Math.max(0, Math.min(scale.total, scale.from + by / scale.perMs)) });
      }
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [scale]);

  const [from, to] = visible(scale);
  const usual = (scale.total * scale.perMs) / Math.max(scale.ends.length, 1);
  const some = to - from <= MOST_CELLS && usual >= 2;
  const focus = Math.max(0, Math.min(anchor, scale.ends.length - 1));
  const cells = some ? Array.from({ length: to - from }, (_, i) => from + i) : [focus];
  return (
    <div
      ref={box}
      role="listbox"
      tabIndex={0}
      aria-label="Frames"
      aria-multiselectable
      aria-activedescendant={`strip-${some ? Math.min(Math.max(focus, from), to - 1) : focus}`}
      className="relative touch-none outline-offset-[-2px]"
      style={{ height: HEIGHT }}
      onPointerDown={onDown}
    >
      <canvas ref={base} aria-hidden className="pointer-events-none absolute inset-0 h-full w-full" />
      <canvas ref={canvas} aria-hidden className="pointer-events-none absolute inset-0 h-full w-full" />
      {cells.map((index) => {
        const left = xOf(scale, startOf(scale, index));
        const width = xOf(scale, scale.ends[index] ?? 0) - left;
        const cost = kilobytes(scene.bytes[index] ?? 0);
        const held = scene.held(index) ? ", held" : "";
        const what = result.shots[index]?.includes("x")
          ? ", blended"
          : result.positions[index] === 0
            ? ", empty"
            : "";
        return (
          <div
            key={index}
            id={`strip-${index}`}
            role="option"
            aria-selected={scene.chosen(index)}
            aria-label={`Frame ${index + 1}, ${delays[index] ?? 0} ms${held}${what}, ${cost} KB`}
            title={`Frame ${index + 1} · ${delays[index] ?? 0} ms${held}${what} · ${cost} KB`}
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
    </div>
  );
}
