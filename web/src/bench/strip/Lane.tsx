// All frames in their order, one as wide as the other: what plays of them, which have names, which are dropped.

import { useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { thumbUrl } from "../../api/client";
import { runs } from "../../format";
import { show, usePlayhead } from "../../player/playhead";
import { follow } from "../../ui/drag";
import { valueBy } from "../../ui/slider";
import type { Bench } from "../edits";
import { arranged } from "../order";
import { rangeOf, runsOf, setEnd, tintOf, usePreview, type Span } from "../range";
import { useSelection } from "../selection";
import type { Timeline } from "../timeline";

const HEIGHT = 20;

export function Lane({ bench, result, width }: { bench: Bench; result: Timeline; width: number }) {
  const { recipe, project, output } = bench;
  const { rhythm } = recipe;
  const order = useMemo(() => arranged(rhythm, project.frames), [rhythm, project.frames]);
  const count = order.length;
  const [drag, setDrag] = useState<{ end: "first" | "last"; at: number } | null>(null);
  const taken = rangeOf(recipe, output, count);
  const range = drag ? { ...taken, [drag.end]: drag.at } : taken;
  const played = drag ? [range] : runsOf(recipe, output, count);
  const preview = usePreview((state) => state.dropped);
  const dropped = preview ?? result.dropped;
  const each = width / Math.max(count, 1);
  const out = useMemo(() => new Set([...recipe.gather.left_out, ...recipe.gather.folded]), [recipe.gather]);
  const gone = useMemo(
    () => runs(order.flatMap((position, index) => (out.has(position) ? [index + 1] : []))),
    [order, out],
  );
  const lost = useMemo(() => runs(dropped), [dropped]);

  const begin = (end: "first" | "last") => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const left = event.currentTarget.parentElement?.getBoundingClientRect().left ?? 0;
    let at = range[end];
    const move = (moved: globalThis.PointerEvent) => {
      const edge = (moved.clientX - left) / each;
      const place = end === "first" ? Math.round(edge) + 1 : Math.round(edge);
      at = Math.min(end === "last" ? count : range.last, Math.max(end === "first" ? 1 : range.first, place));
      setDrag({ end, at });
      const index = result.places.indexOf(at);
      if (index >= 0) show(index);
    };
    const up = (calledOff: boolean) => {
      setDrag(null);
      if (!calledOff && at !== range[end]) setEnd(bench, end, at);
    };
    follow(event, move, up);
  };

  const [stop, setStop] = useState(0);
  const choose = (span: Span) => {
    const inside = result.places.filter((place) => span.first <= place && place <= span.last);
    const at = result.places.indexOf(inside[0] ?? -1);
    useSelection.setState({ places: new Set(inside), anchor: at });
    if (at >= 0) show(at);
  };
  const onClick = (event: PointerEvent<HTMLElement>) => {
    const place = Math.floor((event.clientX - event.currentTarget.getBoundingClientRect().left) / each) + 1;
    const index = result.places.indexOf(place);
    if (index >= 0) show(index);
  };
  const handles = output.take.spans.length === 0;
  const dragged = drag ? project.frame_list[(order[drag.at - 1] ?? 0) - 1] : undefined;
  return (
    <div data-lane className="relative" style={{ height: HEIGHT }}>
      <div
        role="group"
        aria-label="All frames"
        className="absolute inset-0 rounded-[5px] bg-well"
        onPointerDown={onClick}
      >
        {played.map(({ first, last }, index) => (
          <span
            key={index}
            className="absolute inset-y-0 rounded-[4px] border border-jay-pale bg-jay-soft"
            style={{ left: (first - 1) * each, width: Math.max(2, (last - first + 1) * each) }}
          />
        ))}
        {gone.map(([from, to]) => (
          <span
            key={`out ${from}`}
            title={from === to ? `Frame ${from} is left out` : `Frames ${from} to ${to} are left out`}
            className="absolute inset-y-[6px] bg-ink-3/60"
            style={{ left: (from - 1) * each, width: Math.max(1, (to - from + 1) * each) }}
          />
        ))}
        {rhythm.spans.map((span, index) => (
          <button
            type="button"
            key={span.name}
            // One stop for all: arrow keys lead from one to the next.
            tabIndex={index === stop ? 0 : -1}
            onFocus={() => setStop(index)}
            onKeyDown={(event) => {
              const next = valueBy(event.key, {
                value: index,
                min: 0,
                max: rhythm.spans.length - 1,
                step: 1,
                page: 5,
              });
              if (next === null) return;
              event.preventDefault();
              event.stopPropagation();
              const buttons = event.currentTarget.parentElement?.querySelectorAll<HTMLElement>("[data-span]");
              buttons?.[next]?.focus();
            }}
            data-span
            dir="auto"
            onClick={(event) => event.detail === 0 && choose(span)}
            title={`${span.name}: frames ${span.first} to ${span.last}`}
            aria-label={`Span ${span.name}, frames ${span.first} to ${span.last}`}
            className={`absolute inset-y-[2px] truncate rounded-[4px] border pr-1 ${span.first === 1 ? "pl-2.5" : "pl-1"} text-left text-[11px] leading-[14px] font-semibold ${tintOf(index)} ${handles || output.take.spans.includes(span.name) ? "" : "opacity-45"}`}
            style={{
              left: (span.first - 1) * each,
              width: Math.max(3, (span.last - span.first + 1) * each - 1),
            }}
            onPointerDown={(event) => {
              event.stopPropagation();
              choose(span);
            }}
          >
            {span.name}
          </button>
        ))}
        {lost.map(([from, to]) => (
          <span
            key={`lost ${from}`}
            title={from === to ? `Frame ${from} is dropped` : `Frames ${from} to ${to} are dropped`}
            className="absolute bottom-0 h-[7px] bg-look"
            style={{ left: (from - 1) * each, width: Math.max(2, (to - from + 1) * each - (each > 4 ? 1 : 0)) }}
          />
        ))}
        <Mark result={result} each={each} />
        {handles &&
          (["first", "last"] as const).map((end) => (
            <span
              key={end}
              role="slider"
              tabIndex={0}
              aria-label={end === "first" ? "Range starts" : "Range ends"}
              aria-valuemin={1}
              aria-valuemax={count}
              aria-valuenow={range[end]}
              title={end === "first" ? "Range starts (I)" : "Range ends (O)"}
              className="absolute inset-y-[-2px] z-10 w-[9px] cursor-ew-resize touch-none rounded-[3px] border border-on-strong bg-jay"
              style={{
                left: Math.max(
                  0,
                  Math.min(width - 9, end === "first" ? (range.first - 1) * each : range.last * each - 9),
                ),
              }}
              onPointerDown={begin(end)}
              onKeyDown={(event) => {
                const [min, max] = end === "first" ? [1, range.last] : [range.first, count];
                const at = valueBy(event.key, { value: range[end], min, max, step: 1, page: 10 });
                if (at === null) return;
                event.preventDefault();
                event.stopPropagation();
                if (at !== range[end]) setEnd(bench, end, at, { gesture: `range ${end} by key` });
              }}
            />
          ))}
      </div>
      {drag && dragged && (
        <div
          className="pointer-events-none absolute bottom-[24px] z-20 flex -translate-x-1/2 flex-col items-center rounded-[8px] bg-strong p-1 text-xs text-on-strong shadow"
          style={{ left: Math.min(width - 70, Math.max(70, (drag.at - 0.5) * each)) }}
        >
          <img
            src={thumbUrl(dragged.sha256)}
            alt=""
            className="chequer max-h-[90px] max-w-[130px] rounded-[5px]"
          />
          <span className="figure">
            {drag.end === "first" ? "from" : "to"} {drag.at}
          </span>
        </div>
      )}
    </div>
  );
}

/** Where the playhead is among all frames; moved without rendering anything else. */
function Mark({ result, each }: { result: Timeline; each: number }) {
  const mark = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const place = () => {
      const { index } = usePlayhead.getState();
      if (mark.current)
        mark.current.style.transform = `translateX(${((result.places[index] ?? 1) - 0.5) * each - 1}px)`;
    };
    place();
    return usePlayhead.subscribe(place);
  }, [result, each]);
  return <span ref={mark} className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-ink" />;
}
