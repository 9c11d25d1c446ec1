// What is spent: bytes first, then the controls that spend them.

import { useEffect, useState } from "react";
import type { Output } from "../../api/client";
import { ago, kilobytes, size } from "../../format";
import { Bar } from "../../shelf/Shelf";
import { Button, NumberField, Row, Segmented, SliderRow } from "../../ui/controls";
import { Head, type PanelProps } from "./panel";

export function TuningPanel({ bench, result, shown, behind, busy, job }: PanelProps) {
  const { output } = bench;
  const { tuning, budget } = output;
  const tune = (change: Partial<Output["tuning"]>, label: string, gesture = "") =>
    bench.editOutput(label, (so) => ({ ...so, tuning: { ...so.tuning, ...change } }), gesture);
  const bytes = result?.info.bytes;
  const spare = budget && bytes !== undefined ? budget - bytes : 0;
  return (
    <>
      <Head title="Tuning">
        <Fresh
          created={result?.created}
          behind={behind}
          busy={busy}
          share={job?.total ? job.done / job.total : 0}
        />
      </Head>
      <div className="rounded-[10px] bg-well px-3 py-2.5">
        <div className="flex items-baseline justify-between gap-2">
          <p role="status" aria-label="Bytes" aria-busy={behind}>
            <span className={`figure text-2xl font-semibold ${behind ? "opacity-60" : ""}`}>
              {bytes === undefined ? "…" : kilobytes(bytes)}
            </span>{" "}
            <span className="text-ink-2">{budget ? `of ${kilobytes(budget)} KB` : "KB"}</span>
          </p>
          {budget !== null && bytes !== undefined && (
            <b className={`whitespace-nowrap ${spare >= 0 ? "text-fine" : "text-stop"}`}>
              {spare >= 0 ? `✓ ${size(Math.max(spare, 1))} to spare` : `■ ${size(-spare)} over`}
            </b>
          )}
        </div>
        {budget !== null && (
          <div className="mt-2">
            <Bar share={(bytes ?? 0) / budget} label="Budget spent" />
          </div>
        )}
      </div>
      <SliderRow
        label="Colours"
        value={tuning.colours}
        min={2}
        max={256}
        onChange={(colours, gesture) => tune({ colours }, `Colours to ${colours}`, gesture)}
        onRelease={bench.release}
      />
      <Palette colours={shown?.palette ?? []} used={shown?.result.info.colours ?? 0} />
      <Row label="Dither">
        <Segmented
          label="Dither"
          value={tuning.dither}
          choices={[
            { value: "none", label: "none" },
            { value: "diffusion", label: "diffusion", tip: "Each pixel's error is spread over its neighbours" },
          ]}
          onChange={(dither) => tune({ dither }, `Dither: ${dither}`)}
        />
      </Row>
      <SliderRow
        label="Amount"
        value={tuning.amount}
        min={0}
        max={100}
        unit="%"
        disabled={tuning.dither === "none"}
        onChange={(amount, gesture) => tune({ amount }, `Dither amount to ${amount} %`, gesture)}
        onRelease={bench.release}
      />
      <SliderRow
        label="Tolerance"
        value={tuning.tolerance}
        min={0}
        max={100}
        onChange={(tolerance, gesture) => tune({ tolerance }, `Tolerance to ${tolerance}`, gesture)}
        onRelease={bench.release}
      />
      <Row label="Budget">
        <NumberField
          label="Budget in KB"
          value={budget === null ? null : Math.round(budget / 1024)}
          min={1}
          max={4_000_000}
          placeholder="none"
          className="w-[72px] text-right"
          onCommit={(next) => bench.editOutput(`Budget ${next} KB`, (so) => ({ ...so, budget: next * 1024 }))}
        />
        <span className="text-ink-2">KB</span>
        {budget !== null && (
          <Button
            className="h-[26px]!"
            onClick={() => bench.editOutput("No budget", (so) => ({ ...so, budget: null }))}
          >
            None
          </Button>
        )}
      </Row>
    </>
  );
}

function Fresh({
  created,
  behind,
  busy,
  share,
}: {
  created: string | undefined;
  behind: boolean;
  busy: boolean;
  share: number;
}) {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  if (busy) return <>encoding{share > 0 ? ` ${Math.round(share * 100)} %` : "…"}</>;
  if (behind) return <>out of date</>;
  return <>{created ? `measured ${ago(created, Math.max(now, Date.now()))}` : "no bytes yet"}</>;
}

/** The palette the file really holds. */
function Palette({ colours, used }: { colours: readonly string[]; used: number }) {
  return (
    <div
      role="img"
      aria-label={`${used} colours in use`}
      className="flex h-[22px] overflow-hidden rounded-[5px] border border-line"
    >
      {colours.slice(0, used).map((colour, index) => (
        <span key={index} className="h-full min-w-0 grow" style={{ background: colour }} />
      ))}
    </div>
  );
}
