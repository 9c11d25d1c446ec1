// Brightness, contrast and colour, of all frames or some; and frames matched to one of them, so that nothing flickers.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type LevelsInfo } from "../../../api/client";
import { count } from "../../../format";
import { usePlayhead } from "../../../player/playhead";
import { Button, Mark, NumberField, Row, Segmented, SliderRow } from "../../../ui/controls";
import type { Bench } from "../../edits";
import { arranged } from "../../order";
import { useSelection } from "../../selection";
import { flicker, isPlain, PLAIN, toneOf, withoutTone, withTone, type Tone } from "../../tone";
import type { PanelProps } from "../panel";

const AT_ONCE = 48;

export function TonePart({ bench, result }: PanelProps) {
  const { recipe, project } = bench;
  const { framing, rhythm } = recipe;
  const places = useSelection((state) => state.places);
  const index = usePlayhead((state) => (state.playing ? -1 : state.index));
  const order = arranged(rhythm, project.frames);
  const chosen = [...new Set([...places].map((place) => order[place - 1] ?? 0))].filter(
    (position) => position > 0,
  );
  const some = chosen.length > 0;
  const here = result?.positions[Math.max(0, index)] || result?.positions.find((position) => position > 0) || 1;
  const looked = some ? (chosen[0] ?? here) : here;
  const tone = some ? toneOf(framing, looked) : framing.tone;
  const own = chosen.filter((position) => framing.tones.some(({ frames }) => frames.includes(position)));
  const change = (key: keyof Tone, name: string) => (value: number, gesture: string) =>
    bench.edit(
      `${name} to ${value}${some ? `, ${count(chosen.length, "frame")}` : ""}`,
      (now) => ({
        ...now,
        framing: withTone(now.framing, some ? chosen : null, (before) => ({ ...before, [key]: value })),
      }),
      gesture,
    );
  const slider = (key: keyof Tone, name: string, min: number, max: number, step = 1, ratio = false) => (
    <SliderRow
      label={name}
      value={tone[key]}
      min={min}
      max={max}
      step={step}
      ratio={ratio}
      onChange={change(key, name)}
      onRelease={bench.release}
    />
  );
  return (
    <>
      <p className="flex min-h-[26px] items-center justify-between gap-2">
        <span>
          <span className="text-ink-2">Of </span>
          <b>{some ? count(chosen.length, "selected frame") : "all frames"}</b>
        </span>
        {some
          ? own.length > 0 && (
              <Button
                className="h-[26px]!"
                title="The tone of all frames again"
                onClick={() =>
                  bench.edit("The tone of all", (now) => ({
                    ...now,
                    framing: withoutTone(now.framing, chosen),
                  }))
                }
              >
                As all
              </Button>
            )
          : !isPlain(framing.tone) && (
              <Button
                className="h-[26px]!"
                onClick={() =>
                  bench.edit("Tone as it came", (now) => ({ ...now, framing: { ...now.framing, tone: PLAIN } }))
                }
              >
                Reset
              </Button>
            )}
      </p>
      <Histogram bench={bench} position={looked} />
      {slider("exposure", "Exposure", -4, 4, 0.05)}
      {slider("black", "Black", 0, tone.white - 1)}
      {slider("white", "White", tone.black + 1, 255)}
      {slider("gamma", "Gamma", 0.2, 5, 0.01, true)}
      {slider("contrast", "Contrast", -100, 100)}
      {slider("saturation", "Saturation", -100, 100)}
      {!some && framing.tones.length > 0 && (
        <p className="text-xs text-ink-2">
          {count(new Set(framing.tones.flatMap(({ frames }) => frames)).size, "frame")} with a tone of their
          own.
        </p>
      )}
      <Match bench={bench} here={here} chosen={chosen} positions={result?.positions ?? []} />
    </>
  );
}

async function levelsOf(
  bench: Bench,
  positions: readonly number[],
  histogram: number | null,
): Promise<LevelsInfo> {
  return data<LevelsInfo>(
    api.POST("/api/projects/{project_id}/levels", {
      params: { path: { project_id: bench.project.id } },
      body: { positions: [...positions], histogram, framing: bench.recipe.framing },
    }),
  );
}

/** The levels of one frame, before and after. */
function Histogram({ bench, position }: { bench: Bench; position: number }) {
  const query = useQuery({
    queryKey: [
      "histogram",
      bench.project.id,
      bench.project.frame_set,
      position,
      bench.recipe.framing,
      bench.recipe.gather,
    ],
    queryFn: () => levelsOf(bench, [position], position),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 30_000,
  });
  const { before, after } = query.data ?? {};
  return (
    <figure
      aria-label={`Histogram of frame ${position}`}
      className={`relative rounded-[8px] bg-well ${query.isPlaceholderData ? "opacity-60" : ""}`}
    >
      <svg viewBox="0 0 128 40" preserveAspectRatio="none" className="block h-[62px] w-full">
        {before && <path d={outline(before)} className="fill-ink-3/35" />}
        {after?.map((channel, index) => (
          <path
            key={index}
            d={outline([channel])}
            fill="none"
            stroke={["#c2413b", "#2f8f4e", "#3767c4"][index]}
            strokeWidth={0.8}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <figcaption className="pointer-events-none absolute top-1 left-2 text-[11px] text-ink-2">
        frame {position}
      </figcaption>
    </figure>
  );
}

/** The outline of shares of 64 steps; of several channels their mean. Roots, so that what is rare is seen. */
function outline(channels: readonly (readonly number[])[]): string {
  const mean = Array.from(
    { length: 64 },
    (_, step) => channels.reduce((sum, channel) => sum + (channel[step] ?? 0), 0) / channels.length,
  );
  const most = Math.max(0.12, ...mean);
  const points = mean.map((share, step) => `${step * 2 + 1},${(39 - 37 * Math.sqrt(share / most)).toFixed(2)}`);
  return `M0,40 L${points.join(" L")} L128,40 Z`;
}

/** Frames brought to the tone of one of them; how brightness runs before and after. */
function Match({
  bench,
  here,
  chosen,
  positions,
}: {
  bench: Bench;
  here: number;
  chosen: readonly number[];
  positions: readonly number[];
}) {
  const { match } = bench.recipe.framing;
  const put = (next: typeof match, label: string) =>
    bench.edit(label, (recipe) => ({ ...recipe, framing: { ...recipe.framing, match: next } }));
  const shown = positions.filter((position) => position > 0);
  const query = useQuery({
    queryKey: [
      "levels",
      bench.project.id,
      bench.project.frame_set,
      shown,
      bench.recipe.framing,
      bench.recipe.gather,
    ],
    queryFn: async () => {
      const different = [...new Set(shown)];
      const found = new Map<number, { before: number; after: number }>();
      for (let begin = 0; begin < different.length; begin += AT_ONCE) {
        const part = await levelsOf(bench, different.slice(begin, begin + AT_ONCE), null);
        for (const one of part.frames) found.set(one.position, one);
      }
      return shown.map((position) => found.get(position) ?? { before: 0, after: 0 });
    },
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 30_000,
  });
  const runs = query.data ?? [];
  const was = flicker(runs.map(({ before }) => before));
  const now = flicker(runs.map(({ after }) => after));
  return (
    <div className="flex flex-col gap-2.5 border-t border-line pt-2.5">
      <Row label="Match to">
        <NumberField
          label="Frame to match"
          value={match?.to ?? here}
          min={1}
          max={bench.project.frames}
          onCommit={(to) =>
            put({ to, by: match?.by ?? "levels", frames: match?.frames ?? null }, `Matched to frame ${to}`)
          }
        />
        <Button
          className="h-[26px]! px-2!"
          onClick={() =>
            put(
              {
                to: match?.to ?? here,
                by: match?.by ?? "levels",
                frames: chosen.length > 0 ? [...chosen] : null,
              },
              chosen.length > 0
                ? `${count(chosen.length, "frame")} matched to frame ${match?.to ?? here}`
                : `All matched to frame ${match?.to ?? here}`,
            )
          }
        >
          {chosen.length > 0 ? "Match selected" : "Match all"}
        </Button>
        {match && (
          <Button className="h-[26px]! px-2!" onClick={() => put(null, "Not matched")}>
            None
          </Button>
        )}
      </Row>
      {match && (
        <Row label="By">
          <Segmented
            label="Match by"
            value={match.by}
            choices={[
              { value: "levels", label: "mean, contrast" },
              { value: "histogram", label: "histogram", tip: "Every level, not only their mean and spread" },
            ]}
            onChange={(by) => put({ ...match, by }, `Matched by ${by}`)}
          />
        </Row>
      )}
      {runs.length > 1 && (
        <figure
          aria-label={`Flicker ${was.toFixed(2)} before, ${now.toFixed(2)} after`}
          className={query.isPlaceholderData ? "opacity-60" : ""}
        >
          <svg
            viewBox="0 0 128 34"
            preserveAspectRatio="none"
            className="block h-[46px] w-full rounded-[8px] bg-well"
          >
            <polyline
              points={line(runs, "before")}
              className="fill-none stroke-ink-3"
              vectorEffect="non-scaling-stroke"
            />
            <polyline
              points={line(runs, "after")}
              className="fill-none stroke-jay"
              strokeWidth={1.6}
              vectorEffect="non-scaling-stroke"
            />
          </svg>
          <figcaption className="mt-1 flex justify-end text-xs text-ink-2">
            <span className="figure">
              flicker {was.toFixed(2)} → {now.toFixed(2)} levels{" "}
              {now * 10 < was && <Mark verdict="fine" word="steady" />}
            </span>
          </figcaption>
        </figure>
      )}
    </div>
  );
}

/** How brightness runs, before or after, both to one scale. */
function line(runs: readonly { before: number; after: number }[], which: "before" | "after"): string {
  const all = runs.flatMap(({ before, after }) => [before, after]);
  const [least, most] = [Math.min(...all), Math.max(...all)];
  const height = Math.max(4, most - least);
  const middle = (least + most) / 2;
  return runs
    .map((one, index) => {
      const x = (index / Math.max(1, runs.length - 1)) * 126 + 1;
      return `${x.toFixed(2)},${(17 - ((one[which] - middle) / height) * 28).toFixed(2)}`;
    })
    .join(" ");
}
