// Order and time: rate, range, direction, how often; with what the file really holds beside the wish.

import type { Recipe } from "../../api/client";
import { count, FLICKS, hundredths, parseDelay, seconds } from "../../format";
import { Button, Mark, NumberField, Row, Segmented, TextField } from "../../ui/controls";
import { Facts, Head, type PanelProps } from "./panel";

const RATES = ["10", "12", "15", "20", "24", "25", "30", "50"];
type Rhythm = Recipe["rhythm"];

export function RhythmPanel({ bench, result, behind }: PanelProps) {
  const { rhythm } = bench.recipe;
  const set = (label: string, change: Partial<Rhythm>) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: { ...recipe.rhythm, ...change } }));
  const last = bench.project.frames;
  const holds = Object.keys(rhythm.holds).length;
  const wished = (result?.durations.reduce((sum, flicks) => sum + flicks, 0) ?? 0) / FLICKS;
  const delays = result?.info.frames.map((frame) => frame.delay_ms / 10) ?? [];
  const real = (result?.info.duration_ms ?? 0) / 1000;
  const often = rhythm.repeat === 0 ? "ever" : rhythm.repeat === 1 ? "once" : "times";
  return (
    <>
      <Head title="Rhythm">{behind ? "being written" : "as the file plays"}</Head>
      <Row label="Rate">
        <TextField
          label="Frames a second"
          value={rhythm.delay === null ? rhythm.rate : ""}
          placeholder="–"
          read={(text) =>
            /^\d{1,4}(\.\d{1,6}|\/[1-9]\d{0,8})?$/.test(text.trim()) ? text.trim() : text === "" ? "" : null
          }
          onCommit={(rate) => rate && set(`Rate to ${rate}`, { rate, delay: null })}
          className="w-[82px] text-right"
        />
        <span className="text-ink-2">fps</span>
        <TextField
          label="One delay for all frames"
          value={rhythm.delay === null ? "" : `${hundredths(rhythm.delay)} cs`}
          placeholder="or a delay"
          read={(text) => (text === "" ? "" : parseDelay(text) === null ? null : text)}
          onCommit={(text) => {
            const delay = parseDelay(text);
            if (delay !== null) set(`Delay to ${hundredths(delay)} hundredths`, { delay });
          }}
          className="w-[80px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
      </Row>
      <div role="group" aria-label="Usual rates" className="grid grid-cols-8 gap-1">
        {RATES.map((rate) => (
          <Button
            key={rate}
            className={`figure h-[26px]! px-0! ${rhythm.delay === null && rhythm.rate === rate ? "border-jay! bg-jay-soft! text-jay-deep!" : ""}`}
            aria-label={`${rate} fps`}
            aria-pressed={rhythm.delay === null && rhythm.rate === rate}
            onClick={() => set(`Rate to ${rate}`, { rate, delay: null })}
          >
            {rate}
          </Button>
        ))}
      </div>
      <Row label="Direction">
        <Segmented
          label="Direction"
          value={rhythm.direction}
          choices={[
            { value: "forward", label: "→", name: "forward", tip: "Forward" },
            { value: "reverse", label: "←", name: "reverse", tip: "Reverse" },
            {
              value: "there-and-back",
              label: "⇄",
              name: "there and back",
              tip: "There and back, neither end twice",
            },
          ]}
          onChange={(direction) => set(`Direction: ${direction}`, { direction })}
        />
      </Row>
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
      <Row label="Range">
        <NumberField
          label="First frame"
          value={rhythm.first ?? 1}
          min={1}
          max={rhythm.last ?? last}
          onCommit={(first) => set(`From frame ${first}`, { first })}
        />
        <span className="text-ink-2">to</span>
        <NumberField
          label="Last frame"
          value={rhythm.last ?? last}
          min={rhythm.first ?? 1}
          max={last}
          onCommit={(to) => set(`To frame ${to}`, { last: to })}
        />
        {(rhythm.first !== null || rhythm.last !== null) && (
          <Button className="h-[26px]!" onClick={() => set("All frames", { first: null, last: null })}>
            All
          </Button>
        )}
      </Row>
      <Row label="Thin out">
        <span className="text-ink-2">every</span>
        <NumberField
          label="Every n-th frame"
          value={rhythm.step}
          min={1}
          max={1000}
          onCommit={(step) => set(step === 1 ? "Every frame" : `Every ${step}. frame`, { step })}
        />
        <span className="text-ink-2">{rhythm.step === 1 ? "frame" : "frames, one"}</span>
      </Row>
      <div className="border-t border-line pt-2.5">
        <Facts
          facts={[
            ["Plays", result ? `${result.info.count} frames in ${real.toFixed(2)} s` : "…"],
            ["Wished", result ? `${wished.toFixed(3)} s` : "…"],
            ["Delays", result ? pattern(delays) : "…"],
          ]}
        />
        {result && Math.abs(real - wished) > 0.01 && (
          <p className="mt-2">
            <Mark verdict="look" word={`${seconds(Math.abs(real - wished) * 1000)} s off`} />{" "}
            {result.notes.find((note) => note.startsWith("lasts"))}
          </p>
        )}
        {holds > 0 && (
          <div className="mt-2 flex items-center justify-between">
            <span>{count(holds, "frame")} with a delay of its own</span>
            <Button onClick={() => set("Holds let go", { holds: {} })}>Let all go</Button>
          </div>
        )}
      </div>
    </>
  );
}

/** The first delays in hundredths, and how many follow. */
function pattern(delays: readonly number[]): string {
  if (new Set(delays).size === 1) return `${delays[0] ?? ""} hundredths each`;
  return `${delays.slice(0, 7).join(" ")}${delays.length > 7 ? " …" : ""} hundredths`;
}
