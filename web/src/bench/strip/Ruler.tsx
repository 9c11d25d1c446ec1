// Time in seconds under the frames, and the playhead through all of them.

import { memo, useEffect, useRef, type PointerEvent } from "react";
import { show, usePlayhead } from "../../player/playhead";
import { valueBy } from "../../ui/slider";
import { useTheme } from "../../ui/theme";
import { colours, paintRuler, RULER } from "./paint";
import { indexAt, msAt, useZoom, xOf, type Scale } from "./scale";
import { fitted, usePainting } from "./usePainting";

export const Ruler = memo(function Ruler({ scale }: { scale: Scale }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const dark = useTheme((state) => state.dark);
  usePainting(() => {
    const context = fitted(canvas.current, scale.width, RULER);
    if (context) paintRuler(context, scale, colours(context.canvas));
  }, [scale, dark]);
  const scrub = (event: PointerEvent<HTMLElement>) => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    show(indexAt(scale, msAt(scale, x)));
  };
  return (
    <div
      className="relative cursor-pointer touch-none"
      style={{ height: RULER }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        scrub(event);
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) scrub(event);
      }}
    >
      <canvas ref={canvas} aria-hidden className="pointer-events-none absolute inset-0 h-full w-full" />
    </div>
  );
});

/** The playhead: moved without rendering anything else. */
export function Needle({ scale }: { scale: Scale }) {
  const needle = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const place = () => {
      const { at, playing } = usePlayhead.getState();
      const x = xOf(scale, Math.min(at, scale.total));
      if (needle.current) {
        needle.current.style.transform = `translateX(${x}px)`;
        needle.current.style.visibility = x < -1 || x > scale.width + 1 ? "hidden" : "visible";
      }
      // While it plays, the strip turns its page when the playhead leaves it.
      if (playing && useZoom.getState().zoom > 1 && (x < 0 || x > scale.width)) useZoom.setState({ from: at });
    };
    place();
    return usePlayhead.subscribe(place);
  }, [scale]);
  const index = usePlayhead((state) => state.index);
  const count = scale.ends.length;
  return (
    <div
      ref={needle}
      role="slider"
      tabIndex={0}
      aria-label="Playhead"
      aria-valuemin={1}
      aria-valuemax={count}
      aria-valuenow={index + 1}
      aria-valuetext={`Frame ${index + 1} of ${count}`}
      className="pointer-events-none absolute inset-y-0 left-0 w-0"
      onKeyDown={(event) => {
        const to = valueBy(event.key, { value: index, min: 0, max: count - 1, step: 1, page: 10 });
        if (to === null) return;
        event.preventDefault();
        show(to);
      }}
    >
      <span className="absolute top-0 bottom-[10px] left-[-1px] w-[2px] bg-ink" />
      <span className="absolute top-0 left-[-6px] border-x-[6px] border-t-[7px] border-x-transparent border-t-ink" />
    </div>
  );
}
