// Trials on a plot: bytes across, what is lost of the likeness upwards, the budget as a bar.

import type { SearchInfo, TrialInfo } from "../../api/client";
import { kilobytes } from "../../format";

const [WIDE, HIGH, RIM] = [266, 92, 10];

export function TrialPlot({ search: { trials, most, best }, used }: { search: SearchInfo; used?: number }) {
  const sizes = [...trials.map(({ bytes }) => bytes), most];
  const errors = trials.map(({ error }) => error);
  const [least, largest] = [Math.log(Math.min(...sizes)), Math.log(Math.max(...sizes))];
  const [low, high] = [Math.min(...errors), Math.max(...errors)];
  const across = (bytes: number) =>
    RIM + ((WIDE - 2 * RIM) * (Math.log(bytes) - least)) / Math.max(largest - least, 1e-6);
  const up = (error: number) =>
    HIGH - RIM - 12 - ((HIGH - 2 * RIM - 12) * (error - low)) / Math.max(high - low, 1e-9);
  // What no other is both smaller and truer than.
  const frontier = trials
    .filter((one) => !trials.some((two) => two.bytes <= one.bytes && two.error < one.error))
    .sort((one, two) => one.bytes - two.bytes);
  const fits = trials.find(({ id }) => id === best);
  const words = `${trials.length} tried, from ${kilobytes(Math.min(...sizes))} to ${kilobytes(Math.max(...sizes))} KB; budget ${kilobytes(most)} KB${fits ? `; the best that fits takes ${kilobytes(fits.bytes)} KB` : ""}`;
  return (
    <svg
      role="img"
      aria-label={words}
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      className="w-full rounded-[7px] border border-line bg-card"
    >
      <rect x={across(most) - 1.5} y={4} width={3} height={HIGH - 20} className="fill-jay" />
      <polyline
        points={frontier.map((one) => `${across(one.bytes)},${up(one.error)}`).join(" ")}
        className="fill-none stroke-jay"
        strokeWidth={1.5}
      />
      {trials.map((one) => (
        <circle
          key={one.id}
          cx={across(one.bytes)}
          cy={up(one.error)}
          r={one.id === best || one.id === used ? 5 : 3.5}
          strokeWidth={1.5}
          className={
            one.id === used
              ? "fill-ink stroke-ink"
              : one.id === best
                ? "fill-jay stroke-jay"
                : "fill-card stroke-ink-2"
          }
        >
          <title>{`${kilobytes(one.bytes)} KB${one.likeness.ssim === null ? "" : `, SSIM ${one.likeness.ssim.toFixed(4)}`}: ${settingsOf(one, trials)}`}</title>
        </circle>
      ))}
      <text x={RIM} y={HIGH - 5} className="figure fill-ink-2 text-[10px]">
        {kilobytes(Math.min(...sizes))} KB
      </text>
      <text x={WIDE - RIM} y={HIGH - 5} textAnchor="end" className="figure fill-ink-2 text-[10px]">
        {kilobytes(Math.max(...sizes))} KB
      </text>
      <text x={WIDE / 2} y={HIGH - 5} textAnchor="middle" className="fill-ink-2 text-[10px]">
        better: down and to the left
      </text>
    </svg>
  );
}

/** What a trial set that was not so when the search began, in words. */
export function settingsOf({ settings }: TrialInfo, [first]: readonly TrialInfo[]): string {
  const before = new Map(first?.settings.map(({ path, value }) => [path.join(), JSON.stringify(value)]));
  const changed = settings.filter(({ path, value }) => before.get(path.join()) !== JSON.stringify(value));
  return changed.map(({ path, value }) => `${path.at(-1)} ${String(value)}`).join(", ") || "as it was";
}
