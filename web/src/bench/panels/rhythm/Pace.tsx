// How fast it all plays: the frames' rate, the output's own, speed and length; with what the file really holds.

import { readNumber } from "../../../typed";
import { useEffect, useMemo, useState } from "react";
import type { PlanInfo, Recipe } from "../../../api/client";
import {
  count,
  FLICKS,
  hundredths,
  numbersInWords,
  DELAYS_ARE,
  LENGTHS_ARE,
  parseDelay,
  parseLength,
  RATES_ARE,
  readRate,
  seconds,
  times,
} from "../../../format";
import { Button, Mark, NumberField, Row, Segmented, TextField } from "../../../ui/controls";
import { cyclesFor, FLOOR, perFrame, type Rhythm } from "../../delays";
import type { Bench } from "../../edits";
import { usePreview } from "../../range";
import { Facts, type PanelProps } from "../panel";
import { usePlan } from "./usePlan";

const RATES = ["10", "12", "15", "20", "24000/1001", "24", "25", "30", "48", "50", "60000/1001", "60"];
const named = (rate: string) =>
  rate.includes("/") ? (FLICKS / perFrame(rate)).toFixed(3).replace(/0$/, "") : rate;
/** The most that viewers play as written: 2 hundredths a frame. */
const CEILING = 50;

const withTake = (bench: Bench, recipe: Recipe, take: Partial<Bench["output"]["take"]>): Recipe => ({
  ...recipe,
  outputs: recipe.outputs.map((one) =>
    one.id === bench.output.id ? { ...one, take: { ...one.take, ...take } } : one,
  ),
});

export function PacePart({ bench, result }: PanelProps) {
  const { rhythm } = bench.recipe;
  const { take } = bench.output;
  const set = (label: string, change: Partial<Rhythm>) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: { ...recipe.rhythm, ...change } }));
  const setTake = (label: string, change: Partial<Bench["output"]["take"]>) =>
    bench.edit(label, (recipe) => withTake(bench, recipe, change));
  const plan = usePlan(bench, bench.recipe);
  const [typed, setTyped] = useState("");
  const typedRate = readRate(typed);
  const typedPlan = usePlan(bench, typedRate ? withTake(bench, bench.recipe, { rate: typedRate }) : null);
  useEffect(() => {
    if (!typedPlan) return;
    usePreview.setState({ dropped: typedPlan.dropped });
    return () => usePreview.setState({ dropped: null });
  }, [typedPlan]);
  const holds = Object.keys(rhythm.holds).length;
  const wished = (result?.durations.reduce((sum, flicks) => sum + flicks, 0) ?? 0) / FLICKS;
  const delays = result?.delays.map((delay) => delay / 10) ?? [];
  const real = (result?.delays.reduce((sum, delay) => sum + delay, 0) ?? 0) / 1000;
  const gif = bench.output.format === "gif";
  const often = rhythm.repeat === 0 ? "ever" : rhythm.repeat === 1 ? "once" : "times";
  // Where a length is given, it is that of all cycles together.
  const cycle = plan && rhythm.length === null ? (plan.duration_ms / 1000 / rhythm.cycles) * FLICKS : null;
  const tooFast = gif && result !== undefined && result.durations.some((flicks) => flicks < FLOOR);
  return (
    <>
      <Row label="Rate">
        <TextField
          label="Frames a second"
          value={rhythm.delay === null ? rhythm.rate : ""}
          placeholder="–"
          read={readRate}
          why={RATES_ARE}
          onCommit={(rate) => rate && set(`Rate to ${rate}`, { rate, delay: null })}
          className="w-[82px] text-right"
        />
        <span className="text-ink-2">fps</span>
        <TextField
          label="Delay of all frames"
          value={rhythm.delay === null ? "" : `${hundredths(rhythm.delay)} cs`}
          placeholder="or a delay"
          title={DELAYS_ARE}
          why={DELAYS_ARE}
          read={(text) => (text === "" || parseDelay(text, rhythm.rate) !== null ? text : null)}
          onCommit={(text) => {
            const delay = parseDelay(text, rhythm.rate);
            if (delay !== null) set(`Delay to ${hundredths(delay)} hundredths`, { delay });
          }}
          className="w-[80px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
      </Row>
      <div role="group" aria-label="Usual rates" className="grid grid-cols-6 gap-1">
        {RATES.map((rate) => (
          <Button
            key={rate}
            className={`figure h-[26px]! px-0! ${named(rate).includes(".") ? "text-[11px]" : ""} ${rhythm.delay === null && rhythm.rate === rate ? "border-jay! bg-jay-soft! text-jay-deep!" : ""}`}
            aria-label={`${named(rate)} fps`}
            aria-pressed={rhythm.delay === null && rhythm.rate === rate}
            onClick={() => set(`Rate to ${named(rate)}`, { rate, delay: null })}
          >
            {named(rate)}
          </Button>
        ))}
      </div>
      {tooFast && take.rate === null && <TooFast bench={bench} setTake={setTake} set={set} now={plan} />}
      <Row label="Output">
        <TextField
          label="Output rate"
          value={take.rate ?? ""}
          placeholder="same"
          read={readRate}
          why={RATES_ARE}
          onText={setTyped}
          onCommit={(rate) =>
            setTake(rate ? `Plays at ${rate} fps` : "Output rate as the frames", {
              rate: rate || null,
              keep: rate ? take.keep : "time",
            })
          }
          className="w-[82px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
        <span className="text-ink-2">fps in</span>
        <TextField
          label="Output duration"
          value={take.length === null ? "" : `${Number((take.length / FLICKS).toFixed(4))} s`}
          placeholder="same"
          title="What this output lasts, all frames scaled alike; the others stay as they are"
          why={LENGTHS_ARE}
          read={(text) => (text === "" || parseLength(text) !== null ? text : null)}
          onCommit={(text) => {
            const length = parseLength(text);
            setTake(
              length === null
                ? "Output duration as the frames"
                : `Output lasts ${(length / FLICKS).toFixed(2)} s`,
              { length },
            );
          }}
          className="w-[66px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
        {take.rate !== null && !(take.keep === "frames" && take.length === null) && (
          <Segmented
            label="Between two frames"
            value={take.between}
            choices={[
              { value: "hold", label: "hold", tip: "The frame that is due" },
              { value: "blend", label: "blend", tip: "In-betweens blended from the two" },
              { value: "motion", label: "motion", tip: "What moves lies between the two" },
            ]}
            onChange={(between) => setTake(`Between frames: ${between}`, { between })}
          />
        )}
      </Row>
      {typedPlan && typedRate ? (
        <p role="status" aria-label="What this rate would do" className="text-xs text-look">
          Would play {atRate(typedPlan, typedRate)}
        </p>
      ) : (
        take.rate !== null && plan && <p className="text-xs text-ink-2">Plays {atRate(plan, take.rate)}</p>
      )}
      {take.rate !== null && take.length === null && <Keep bench={bench} rate={take.rate} setTake={setTake} />}
      <Row label="Speed">
        <TextField
          label="Speed in percent"
          value={rhythm.length === null ? rhythm.speed : ""}
          placeholder="–"
          read={readSpeed}
          why="A percentage from 1 to 5000: 200 plays in half the time."
          onCommit={(speed) => speed && set(`Speed to ${speed} %`, { speed, length: null })}
          className="w-[56px] text-right"
        />
        <span className="text-ink-2">% or lasting</span>
        <TextField
          label="Duration"
          value={rhythm.length === null ? "" : `${Number((rhythm.length / FLICKS).toFixed(4))} s`}
          placeholder="4 s"
          why={LENGTHS_ARE}
          read={(text) => (text === "" || parseLength(text) !== null ? text : null)}
          onCommit={(text) => {
            const length = parseLength(text);
            set(length === null ? "Duration cleared" : `Lasts ${(length / FLICKS).toFixed(2)} s`, {
              length,
              speed: "100",
            });
          }}
          className="w-[66px] text-right"
        />
      </Row>
      {take.repeat !== null && (
        <Row label="">
          <span className="text-ink-2">This output plays {times(take.repeat)}.</span>
          <Button
            className="h-[26px]!"
            onClick={() => setTake("Output repeats as the project", { repeat: null })}
          >
            As the project
          </Button>
        </Row>
      )}
      <Row label="Repeat">
        <Segmented
          label="Repeat"
          value={often}
          choices={[
            { value: "ever", label: "for ever" },
            { value: "once", label: "once", tip: "Rests on its last frame" },
            { value: "times", label: "n times" },
          ]}
          onChange={(next) =>
            set("Repeat", { repeat: next === "ever" ? 0 : next === "once" ? 1 : Math.max(2, rhythm.repeat) })
          }
        />
        {often === "times" && (
          <NumberField
            label="Times"
            value={rhythm.repeat}
            min={2}
            max={65536}
            onCommit={(repeat) => set(`${repeat} times`, { repeat })}
          />
        )}
      </Row>
      <Row label="In the file">
        <NumberField
          label="Cycles in the file"
          value={rhythm.cycles}
          min={1}
          max={1000}
          onCommit={(cycles) => set(count(cycles, "cycle"), { cycles })}
        />
        <span className="text-ink-2">{rhythm.cycles === 1 ? "cycle, until" : "cycles, until"}</span>
        <TextField
          label="Repeat the cycle until it lasts"
          value=""
          placeholder="5 s"
          why={LENGTHS_ARE}
          disabled={cycle === null}
          read={(text) => (text === "" || parseLength(text) !== null ? text : null)}
          onCommit={(text) => {
            const length = parseLength(text);
            if (length === null || cycle === null) return;
            const cycles = cyclesFor(cycle, length);
            set(count(cycles, "cycle"), { cycles });
          }}
          className="w-[58px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
      </Row>
      {rhythm.cycles > 1 && (
        <p className="text-xs text-look">
          Each cycle in the file costs its bytes again. Repeat costs none, where players honour it.
        </p>
      )}
      <div className="border-t border-line pt-2.5">
        <Facts
          facts={[
            ["Plays", result ? `${count(delays.length, "frame")} in ${real.toFixed(2)} s` : "…"],
            ["Requested", result ? `${wished.toFixed(3)} s` : "…"],
            ["Delays", result ? (gif ? pattern(delays) : milliseconds(result.delays)) : "…"],
            ["Other formats", plan ? <Kinds plan={plan} /> : "…"],
          ]}
        />
        {result && Math.abs(real - wished) > 0.0101 && (
          <p className="mt-2">
            <Mark verdict="look" word={`${seconds(Math.abs(real - wished) * 1000)} s off`} />{" "}
            {result.notes.find((note) => note.startsWith("lasts"))}
          </p>
        )}
        {holds > 0 && (
          <div className="mt-2 flex items-center justify-between">
            <span>{count(holds, "frame")} with a custom delay</span>
            <Button onClick={() => set("Custom delays cleared", { holds: {} })}>Clear delays</Button>
          </div>
        )}
      </div>
    </>
  );
}

/** Whether an output at a rate of its own keeps the time or the frames, with what either comes to. */
function Keep({
  bench,
  rate,
  setTake,
}: {
  bench: Bench;
  rate: string;
  setTake: (label: string, change: Partial<Bench["output"]["take"]>) => void;
}) {
  const plans = {
    frames: usePlan(bench, withTake(bench, bench.recipe, { keep: "frames" })),
    time: usePlan(bench, withTake(bench, bench.recipe, { keep: "time" })),
  };
  const figures = (keep: "frames" | "time") => {
    const plan = plans[keep];
    if (!plan) return "…";
    const ticks = Math.round((plan.duration_ms / 1000) * (FLICKS / perFrame(rate)));
    return `${count(ticks, "frame")}, ${seconds(plan.duration_ms)} s`;
  };
  return (
    <>
      <Row label="Keep">
        <Segmented
          label="What an output at its own rate keeps"
          value={bench.output.take.keep}
          choices={[
            { value: "frames", label: "frames", tip: "One by one, each for one tick of the rate" },
            { value: "time", label: "time", tip: "Frames are dropped or shown longer" },
          ]}
          onChange={(keep) =>
            setTake(keep === "frames" ? `One by one at ${rate} fps` : `At ${rate} fps in the same time`, {
              keep,
            })
          }
        />
      </Row>
      <p className="text-xs text-ink-2">
        One by one: {figures("frames")}. In the same time: {figures("time")}.
      </p>
    </>
  );
}

/** What an output's own rate makes of the frames: in the same time, which are dropped and which stay on longer. */
function atRate(plan: PlanInfo, rate: string): string {
  const tick = perFrame(rate);
  const longer = plan.places.filter((_, index) => (plan.durations[index] ?? 0) > 1.5 * tick);
  return [
    `${count(plan.shots.length, "picture")} in ${(plan.duration_ms / 1000).toFixed(3)} s`,
    plan.dropped.length > 0 ? `dropped: ${numbersInWords(plan.dropped)}` : "no frame dropped",
    longer.length > 0
      ? `shown more than once: ${numbersInWords([...new Set(longer)].sort((a, b) => a - b))}`
      : "",
  ]
    .filter(Boolean)
    .join("; ");
}

/** What to do about frames shorter than any viewer shows: shown with the frames it would cost. */
function TooFast({
  bench,
  set,
  setTake,
  now,
}: {
  bench: Bench;
  set: (label: string, change: Partial<Rhythm>) => void;
  setTake: (label: string, change: Partial<Bench["output"]["take"]>) => void;
  now: PlanInfo | undefined;
}) {
  const wish = useMemo(() => withTake(bench, bench.recipe, { rate: String(CEILING) }), [bench]);
  const plan = usePlan(bench, wish);
  useEffect(() => {
    usePreview.setState({ dropped: plan?.dropped ?? null });
    return () => usePreview.setState({ dropped: null });
  }, [plan]);
  const { rhythm } = bench.recipe;
  const length = now?.duration_ms ?? 0;
  const stretched = ((now?.shots.length ?? 0) * 1000) / CEILING;
  const even = rhythm.delay === null && FLICKS / perFrame(rhythm.rate) > CEILING;
  return (
    <div className="flex flex-col gap-1.5 rounded-[8px] bg-look-soft px-3 py-2">
      <Mark verdict="look" word="Too fast for GIF" />
      <p className="text-xs">
        Viewers play a frame shorter than 2 hundredths as about 10, so 50 fps is the most. You can:
      </p>
      <Button onClick={() => setTake(`Plays at ${CEILING} fps`, { rate: String(CEILING) })}>
        Keep the {seconds(length)} s, drop {plan ? plan.dropped.length : "…"} of {now?.shots.length ?? "…"}
      </Button>
      {plan && plan.dropped.length > 0 && (
        <p className="text-xs">Dropped, marked on the strip: {numbersInWords(plan.dropped)}</p>
      )}
      {even && (
        <Button onClick={() => set(`Rate to ${CEILING}`, { rate: String(CEILING) })}>
          Keep all frames, last {seconds(stretched)} s
        </Button>
      )}
      <p className="text-xs">WebP, APNG and video can keep this rate.</p>
    </div>
  );
}

/** How other kinds of file would hold the same time. */
function Kinds({ plan }: { plan: PlanInfo }) {
  return (
    <span className="flex flex-col">
      {plan.formats
        .filter((one) => one.format !== "GIF")
        .map((one) => {
          const off = one.duration_ms - plan.duration_ms;
          return (
            <span key={one.format} title={`in parts of ${one.unit} s`}>
              {one.format} {(one.duration_ms / 1000).toFixed(3)} s
              <span className="text-ink-2">
                {Math.abs(off) < 0.01 ? " exact" : ` ${off > 0 ? "+" : "−"}${Math.abs(off).toFixed(1)} ms`}
              </span>
            </span>
          );
        })}
    </span>
  );
}

/** The first delays in milliseconds. */
function milliseconds(delays: readonly number[]): string {
  const shown = delays.map((delay) => String(Number(delay.toFixed(2))));
  if (new Set(shown).size === 1) return `${shown[0] ?? ""} ms each`;
  return `${shown.slice(0, 5).join(" ")}${shown.length > 5 ? " …" : ""} ms`;
}

/** The first delays in hundredths, and how many follow. */
function pattern(delays: readonly number[]): string {
  if (new Set(delays).size === 1) return `${delays[0] ?? ""} hundredths each`;
  return `${delays.slice(0, 7).join(" ")}${delays.length > 7 ? " …" : ""} hundredths`;
}

/** A typed speed as it is taken: `200`, `33.3`, `50 %`, or nothing; null when it is none. */
function readSpeed(text: string): string | null {
  if (text.trim() === "") return "";
  const percent = readNumber(text.trim().replace(/\s*%$/, ""));
  const fits =
    percent !== null && percent >= 1 && percent <= 5000 && /^\d{1,4}(\.\d{1,3})?$/.test(String(percent));
  return fits ? String(percent) : null;
}
