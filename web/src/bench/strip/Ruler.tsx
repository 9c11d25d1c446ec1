// Time in seconds under the frames, and the playhead through all of them.

import { useEffect, useRef, type PointerEvent } from "react";
import { show, step, usePlayhead } from "../../player/playhead";
import { indexAt, msAt, useZoom, xOf, type Scale } from "./scale";

const STEPS = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 30000, 60000, 300000];

export function Ruler({ scale }: { scale: Scale }) {
  const { perMs, width } = scale;
  const label = STEPS.find((one) => one * perMs >= 90) ?? 3_600_000;
  const fine = STEPS.find((one) => one * perMs >= 9 && label % one === 0) ?? label;
  const marks = [];
  const end = Math.min(scale.total, msAt(scale, width));
  if (perMs > 0) for (let at = Math.ceil(scale.from / fine) * fine; at <= end; at += fine) marks.push(at);
  const to = label % 1000 === 0 ? 0 : label % 100 === 0 ? 1 : 2;
  const scrub = (event: PointerEvent<HTMLElement>) => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    show(indexAt(scale, msAt(scale, x)));
  };
  return (
    <div
      className="relative h-[20px] cursor-pointer touch-none"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        scrub(event);
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) scrub(event);
      }}
    >
      {marks.map((at) => (
        <span
          key={at}
          className={`absolute top-[3px] w-px bg-ink-3 ${at % label === 0 ? "h-[7px]" : "h-[4px] opacity-60"}`}
          style={{ left: xOf(scale, at) }}
        >
          {at % label === 0 && xOf(scale, at) < width - 30 && (
            <span className="figure absolute top-[4px] left-[4px] text-[11px] whitespace-nowrap text-ink-2">
              {(at / 1000).toFixed(to)} s
            </span>
          )}
        </span>
      ))}
    </div>
  );
}

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
        const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (by) step(by);
      }}
    >
      <span className="absolute top-0 bottom-[10px] left-[-1px] w-[2px] bg-ink" />
      <span className="absolute top-0 left-[-6px] border-x-[6px] border-t-[7px] border-x-transparent border-t-ink" />
    </div>
  );
}
