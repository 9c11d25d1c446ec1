// The delays of the selected frames, or of all: set, add, scale, ramp, copy and paste.

import { useState } from "react";
import { count, DELAYS_ARE, FLICKS, parseDelay } from "../../../format";
import { Button, NumberField, Row, Segmented, TextField } from "../../../ui/controls";
import {
  added,
  CENTISECOND,
  FLOOR,
  pasted,
  ramped,
  scaled,
  timeOf,
  withoutHolds,
  withTimes,
  type Easing,
  type Rhythm,
} from "../../delays";
import { arranged } from "../../order";
import { chosenPlaces, shareOf, unscaled, useSelection } from "../../selection";
import { Facts, type PanelProps } from "../panel";

export function DelaysPart({ bench, result }: PanelProps) {
  const chosen = useSelection((state) => state.places);
  const copied = useSelection((state) => state.copied);
  const { rhythm } = bench.recipe;
  const [percent, setPercent] = useState(150);
  const [ramp, setRamp] = useState<{ from: string; to: string; easing: Easing }>({
    from: "4 cs",
    to: "20 cs",
    easing: "even",
  });
  const all = arranged(rhythm, bench.project.frames).map((_, index) => index + 1);
  const places = chosen.size > 0 ? chosenPlaces() : all;
  const who = chosen.size > 0 ? count(places.length, "frame") : "all frames";
  const edit = (label: string, change: (rhythm: Rhythm) => Rhythm) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: change(recipe.rhythm) }));
  const step = unscaled(bench, CENTISECOND);
  const floor = unscaled(bench, FLOOR);
  const timeIn = (text: string) => parseDelay(text, rhythm.rate);
  const [from, to] = [timeIn(ramp.from), timeIn(ramp.to)];
  const read = (text: string) => (timeIn(text) === null ? null : text);
  const here = new Set(places);
  const played = result?.delays.filter((_, index) => here.has(result.places[index] ?? 0)) ?? [];
  const real = played.reduce((sum, delay) => sum + delay, 0);
  const share = shareOf(bench);
  const speed = rhythm.length === null ? (result?.scale ?? 1) : 1;
  const wished = places.reduce((sum, place) => sum + timeOf(rhythm, place, share), 0) * speed;
  return (
    <>
      <p className="text-ink-2">
        For <b className="text-ink">{who}</b>
        {chosen.size === 0 && ". Select some on the strip: drag, or click with Shift or Ctrl."}
      </p>
      <Row label="Set">
        <TextField
          label="Delay to set"
          value=""
          placeholder="4, 40ms, 2f"
          title={DELAYS_ARE}
          why={DELAYS_ARE}
          read={(text) => (text === "" ? "" : read(text))}
          onCommit={(text) => {
            const flicks = timeIn(text);
            if (flicks !== null)
              edit(`${who} to ${text}`, (so) => withTimes(so, places, () => unscaled(bench, flicks)));
          }}
          className="w-[104px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
        <span className="text-ink-2">cs, if no unit is typed</span>
      </Row>
      <Row label="Add">
        {[-10, -1, 1, 10].map((by) => (
          <Button
            key={by}
            className="figure h-[26px]! px-2!"
            aria-label={`${by > 0 ? "Add" : "Take away"} ${Math.abs(by)} hundredths`}
            onClick={() =>
              edit(`${who} ${by > 0 ? "longer" : "shorter"}`, (so) =>
                added(so, places, by * step, floor, share),
              )
            }
          >
            {by > 0 ? "+" : "−"}
            {Math.abs(by)}
          </Button>
        ))}
        <span className="text-ink-2">cs</span>
      </Row>
      <Row label="Scale">
        <NumberField
          label="Scale in percent"
          units={{ "%": 1 }}
          value={percent}
          min={1}
          max={5000}
          onCommit={setPercent}
        />
        <span className="text-ink-2">%</span>
        <Button
          className="h-[26px]!"
          onClick={() => edit(`${who} × ${percent} %`, (so) => scaled(so, places, percent, share))}
        >
          Scale
        </Button>
      </Row>
      <Row label="Ramp">
        <TextField
          label="Ramp from"
          value={ramp.from}
          read={read}
          why={DELAYS_ARE}
          onCommit={(next) => setRamp((now) => ({ ...now, from: next }))}
          className="w-[66px] text-right"
        />
        <span className="text-ink-2">to</span>
        <TextField
          label="Ramp to"
          value={ramp.to}
          read={read}
          why={DELAYS_ARE}
          onCommit={(next) => setRamp((now) => ({ ...now, to: next }))}
          className="w-[66px] text-right"
        />
      </Row>
      <Row label="">
        <Segmented
          label="Easing"
          value={ramp.easing}
          choices={[
            { value: "even", label: "even" },
            { value: "in", label: "in", tip: "Slowly away from the first" },
            { value: "out", label: "out", tip: "Slowly up to the last" },
            { value: "both", label: "both" },
          ]}
          onChange={(easing) => setRamp((now) => ({ ...now, easing }))}
        />
        <Button
          className="h-[26px]!"
          disabled={from === null || to === null || places.length < 2}
          onClick={() =>
            edit(`${who} ramped`, (so) =>
              ramped(so, places, unscaled(bench, from ?? 1), unscaled(bench, to ?? 1), ramp.easing),
            )
          }
        >
          Ramp
        </Button>
      </Row>
      <Row label="Carry over">
        <Button
          className="h-[26px]!"
          onClick={() => useSelection.setState({ copied: places.map((place) => timeOf(rhythm, place, share)) })}
        >
          Copy
        </Button>
        <Button
          className="h-[26px]!"
          disabled={copied.length === 0}
          onClick={() => edit(`Delays pasted on ${who}`, (so) => pasted(so, places, copied))}
        >
          Paste {copied.length > 0 ? count(copied.length, "delay") : ""}
        </Button>
      </Row>
      <Button
        className="self-start"
        disabled={!places.some((place) => String(place) in rhythm.holds)}
        onClick={() => edit("Custom delays cleared", (so) => withoutHolds(so, places))}
      >
        Clear delays
      </Button>
      <div className="border-t border-line pt-2.5">
        <Facts
          facts={[
            ["Wished", `${(wished / FLICKS).toFixed(3)} s in ${count(places.length, "frame")}`],
            ["In the file", result ? `${(real / 1000).toFixed(2)} s in ${count(played.length, "step")}` : "…"],
          ]}
        />
      </div>
    </>
  );
}
