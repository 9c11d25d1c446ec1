// Trials on a plot: bytes across, what is lost of the likeness upwards, the budget as a bar.

import { memo, useMemo, useRef, type KeyboardEvent } from "react";
import type { SearchInfo, TrialInfo } from "../../api/client";
import { kilobytes } from "../../format";
import { useWidth } from "../../ui/useWidth";
import { settingsOf } from "../trials";

/** A trial that was measured. */
export type Measured = TrialInfo & { error: number };

export const isMeasured = (trial: TrialInfo): trial is Measured => trial.error !== null;

/** In windows less high than this the pictures above need the room. */
const LOW = 760;
/** From this many on they are drawn as dots. */
const CROWDED = 40;
/** What is added to what is lost: on a scale by its logarithm nothing would lie infinitely far below. */
const NOTHING = 0.008;

const heightOf = ({ error }: Measured) => Math.log(error + NOTHING);

/** What no other is both smaller and better than, the smallest first. */
export function frontierOf(trials: readonly Measured[]): Measured[] {
  const sorted = [...trials].sort((one, two) => one.bytes - two.bytes || one.error - two.error);
  let least = Infinity;
  return sorted.filter(({ error }) => {
    if (error >= least) return false;
    least = error;
    return true;
  });
}

interface Scale {
  across: (bytes: number) => number;
  up: (trial: Measured) => number;
  sizes: readonly [number, number];
}

function scaleOf(
  trials: readonly Measured[],
  most: number | null,
  wide: number,
  high: number,
  rim: { x: number; top: number; bottom: number },
): Scale {
  const sizes = [...trials.map(({ bytes }) => bytes), ...(most === null ? [] : [most])];
  const heights = trials.map(heightOf);
  const [least, largest] = [Math.log(Math.min(...sizes)), Math.log(Math.max(...sizes))];
  const [low, top] = [Math.min(...heights), Math.max(...heights)];
  return {
    across: (bytes) =>
      largest - least < 1e-6
        ? wide / 2
        : rim.x + ((wide - 2 * rim.x) * (Math.log(bytes) - least)) / (largest - least),
    up: (trial) =>
      high -
      rim.bottom -
      (top - low < 1e-6 ? 0.5 : (heightOf(trial) - low) / (top - low)) * (high - rim.bottom - rim.top),
    sizes: [Math.exp(least), Math.exp(largest)],
  };
}

const told = ({ bytes, likeness, number }: TrialInfo) =>
  `${number}: ${kilobytes(bytes)} KB${likeness?.ssim == null ? "" : `, SSIM ${likeness.ssim.toFixed(4)}`}`;

/** A search at a glance: what it tried, and what is best of it. */
export function Glance({
  search,
  trials,
  used,
}: {
  search: SearchInfo;
  trials: readonly TrialInfo[];
  used: TrialInfo | undefined;
}) {
  const made = trials.filter(isMeasured);
  const [wide, high] = [266, 84];
  if (made.length === 0) return null;
  const { across, up, sizes } = scaleOf(made, search.most, wide, high, { x: 10, top: 8, bottom: 20 });
  const fits = made.find(({ id }) => id === search.best);
  const words = `${made.length} tried, from ${kilobytes(sizes[0])} to ${kilobytes(sizes[1])} KB${search.most === null ? "" : `; budget ${kilobytes(search.most)} KB`}${fits ? `; the best that fits takes ${kilobytes(fits.bytes)} KB` : ""}`;
  return (
    <svg
      role="img"
      aria-label={words}
      viewBox={`0 0 ${wide} ${high}`}
      className="w-full rounded-[7px] border border-line bg-card"
    >
      {search.most !== null && (
        <rect x={across(search.most) - 1.5} y={4} width={3} height={high - 20} className="fill-jay" />
      )}
      <polyline
        points={frontierOf(made)
          .map((one) => `${across(one.bytes)},${up(one)}`)
          .join(" ")}
        className="fill-none stroke-jay"
        strokeWidth={1.5}
      />
      {made.map((one) => (
        <circle
          key={one.id}
          cx={across(one.bytes)}
          cy={up(one)}
          r={one.id === search.best || one.id === used?.id ? 5 : 3.5}
          strokeWidth={1.5}
          className={
            one.id === used?.id
              ? "fill-ink stroke-ink"
              : one.id === search.best
                ? "fill-jay stroke-jay"
                : "fill-card stroke-ink-2"
          }
        >
          <title>{`${told(one)}: ${settingsOf(one, made[0])}`}</title>
        </circle>
      ))}
      <text x={10} y={high - 4} className="figure fill-ink-2 text-[10px]">
        {kilobytes(sizes[0])} KB
      </text>
      <text x={wide - 10} y={high - 4} textAnchor="end" className="figure fill-ink-2 text-[10px]">
        {kilobytes(sizes[1])} KB
      </text>
    </svg>
  );
}

interface PlotProps {
  trials: readonly TrialInfo[];
  /** What the output's frames are now: trials of others lie off the frontier. */
  sources: string | undefined;
  most: number | null;
  used: number | undefined;
  left: number | undefined;
  right: number | undefined;
  onPoint: (id: number | null) => void;
  onChoose: (id: number) => void;
}

/** All trials: pointed at one plays, chosen it stays. */
export const Plot = memo(function Plot(props: PlotProps) {
  const { trials, sources, most, used, left, right, onPoint, onChoose } = props;
  const [area, wide] = useWidth();
  const list = useRef<HTMLUListElement>(null);
  const made = useMemo(() => trials.filter(isMeasured).sort((a, b) => a.bytes - b.bytes), [trials]);
  const now = useMemo(() => made.filter((one) => one.sources === sources), [made, sources]);
  const high = window.innerHeight < LOW ? 92 : 132;
  const scale = useMemo(
    () =>
      made.length > 0 && wide > 0 ? scaleOf(made, most, wide, high, { x: 22, top: 14, bottom: 32 }) : null,
    [made, most, wide, high],
  );
  const frontier = useMemo(() => frontierOf(now), [now]);
  // Round sizes, but for those that the budget's own figure would lie on.
  const ticks = scale
    ? ticksOf(scale.sizes).filter(
        (bytes) => most === null || Math.abs(scale.across(bytes) - scale.across(most)) > 40,
      )
    : [];
  const dots = made.length > CROWDED;
  const inReach = made.some(({ id }) => id === right) ? right : made[0]?.id;
  const move = (event: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    const at = made.findIndex(({ id }) => id === right);
    const next = made[Math.min(made.length - 1, Math.max(0, at + by))];
    if (!next) return;
    onChoose(next.id);
    list.current?.querySelector<HTMLElement>(`[data-trial="${next.id}"]`)?.focus();
  };
  return (
    <div ref={area} className="relative min-w-0 grow overflow-hidden" style={{ height: high }}>
      {scale && (
        <>
          <svg aria-hidden className="absolute inset-0" width={wide} height={high}>
            {ticks.map((bytes) => (
              <g key={bytes}>
                <line
                  x1={scale.across(bytes)}
                  x2={scale.across(bytes)}
                  y1={6}
                  y2={high - 20}
                  className="stroke-line"
                />
                <text
                  x={scale.across(bytes)}
                  y={high - 6}
                  textAnchor="middle"
                  className="figure fill-ink-2 text-[11px]"
                >
                  {kilobytes(bytes)}
                </text>
              </g>
            ))}
            {most !== null && (
              <>
                <rect x={scale.across(most) - 2} y={4} width={4} height={high - 24} className="fill-jay" />
                <text
                  x={Math.min(Math.max(scale.across(most), 28), wide - 44)}
                  y={high - 6}
                  textAnchor="middle"
                  className="figure fill-jay-deep text-[11px] font-bold"
                >
                  {kilobytes(most)} KB
                </text>
              </>
            )}
            <text x={4} y={12} className="fill-ink-2 text-[11px]">
              ↑ error
            </text>
            <text x={wide - 4} y={high - 6} textAnchor="end" className="fill-ink-2 text-[11px]">
              KB
            </text>
            <polyline
              points={frontier.map((one) => `${scale.across(one.bytes)},${scale.up(one)}`).join(" ")}
              className="fill-none stroke-jay"
              strokeWidth={1.5}
            />
          </svg>
          <ul
            ref={list}
            aria-label="Trials"
            className="absolute inset-0"
            onKeyDown={move}
            onPointerLeave={() => onPoint(null)}
          >
            {made.map((one) => {
              const on = one.id === used || one.id === left || one.id === right;
              const look =
                one.id === used
                  ? "bg-strong text-on-strong border-strong"
                  : one.id === right || one.id === left
                    ? "border-jay bg-jay-soft text-jay-deep border-2"
                    : one.sources !== sources
                      ? "border-dashed border-ink-3 bg-card text-ink-2"
                      : frontier.includes(one)
                        ? "border-jay bg-card text-ink"
                        : "border-ink-3 bg-card text-ink-2";
              return (
                <li key={one.id}>
                  <button
                    type="button"
                    data-trial={one.id}
                    aria-label={`Trial ${told(one)}${one.id === used ? ", in use" : ""}${one.name ? `, ${one.name}` : ""}${one.sources === sources ? "" : ", of other frames or framing"}`}
                    aria-pressed={one.id === right}
                    tabIndex={one.id === inReach ? 0 : -1}
                    onPointerEnter={() => onPoint(one.id)}
                    onClick={() => onChoose(one.id)}
                    className={`figure absolute -translate-1/2 rounded-[5px] border text-[11px] leading-none font-semibold ${dots && !on && !one.name ? "size-[9px]" : "h-[18px] min-w-[24px] px-1"} ${on ? "z-10" : ""} ${look}`}
                    style={{ left: scale.across(one.bytes), top: scale.up(one) }}
                  >
                    {dots && !on && !one.name ? null : one.number}
                    {one.name && <span aria-hidden>*</span>}
                  </button>
                </li>
              );
            })}
          </ul>
        </>
      )}
    </div>
  );
});

/** Round sizes between two, in bytes: 1, 2 and 5 times powers of ten, in KB. */
export function ticksOf([least, most]: readonly [number, number]): number[] {
  const ticks: number[] = [];
  for (let power = 1; power <= 1e7; power *= 10)
    for (const times of most / least < 4 ? [1, 1.5, 2, 3, 4, 5, 6, 7, 8, 9] : [1, 2, 5]) {
      const bytes = times * power * 1024;
      if (bytes >= least && bytes <= most) ticks.push(bytes);
    }
  return ticks;
}
