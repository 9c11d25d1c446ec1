// What is spent: bytes first, then the controls that spend them, those of the output's own format.

import { useEffect, useState } from "react";
import type { Output } from "../../api/client";
import { ago, kilobytes, size } from "../../format";
import { Bar } from "../../ui/Bar";
import { Button, KILOBYTES, NumberField, Row, Tip } from "../../ui/controls";
import { viewOf } from "../formats/table";
import { mostBytes } from "../framing";
import { withLimit } from "../outputs";
import { toggleTrials, useTrialLook } from "../trial/look";
import { mayChange, useTrials } from "../trials";
import { useSoFar } from "../useSoFar";
import { Fit } from "./Fit";
import { Likeness, SpentOn } from "./Likeness";
import { Head, type PanelProps } from "./panel";
import { Together } from "./Together";

export function TuningPanel(panel: PanelProps) {
  const { bench, result, behind, busy, job, coding } = panel;
  const { output } = bench;
  const { Panel, title } = viewOf(output);
  const budget = mostBytes(output);
  const bytes = result?.info.bytes;
  const spare = budget !== null && bytes !== undefined ? budget - bytes : 0;
  return (
    <>
      <Head title="Tuning">
        {title(output)} ·{" "}
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
            <span className="text-ink-2">{budget !== null ? `of ${kilobytes(budget)} KB` : "KB"}</span>
          </p>
          {coding ? (
            <BytesSoFar />
          ) : (
            budget !== null &&
            bytes !== undefined && (
              <b
                className={`whitespace-nowrap ${spare >= 0 ? "text-fine" : "text-stop"} ${behind ? "opacity-60" : ""}`}
              >
                {spare >= 0 ? `✓ ${size(Math.max(spare, 1))} to spare` : `■ ${size(-spare)} over`}
              </b>
            )
          )}
        </div>
        {budget !== null && (
          <div className="mt-2">
            <Bar share={(bytes ?? 0) / budget} label="Budget spent" />
          </div>
        )}
        {budget !== null && (
          <div className="mt-2">
            <Fit bench={bench} result={result} behind={behind} />
          </div>
        )}
        <Together bench={bench} />
      </div>
      <Row label="Budget">
        <NumberField
          label="Budget in KB"
          units={KILOBYTES}
          value={budget === null ? null : Math.round(budget / 1024)}
          min={1}
          max={4_000_000}
          placeholder="none"
          className="w-[72px] text-right"
          onCommit={(next) =>
            bench.editOutput(`Budget ${next} KB`, (so) => withLimit(so, "bytes", next * 1024))
          }
          onClear={() => bench.editOutput("No budget", (so) => withLimit(so, "bytes", null))}
        />
        <span className="min-w-0 grow truncate text-ink-2">
          KB{output.target?.title ? `, of ${output.target.title}` : ""}
        </span>
        {mayChange(output).length > 0 && <TrialsButton bench={bench} />}
      </Row>
      <Likeness result={result} behind={behind} />
      <Panel
        panel={panel}
        output={output}
        tune={(change, label, gesture = "") =>
          bench.editOutput(
            label,
            // Another format may have taken its place meanwhile.
            (so) => (so.format === output.format ? ({ ...so, ...change } as Output) : so),
            gesture,
          )
        }
      />
      <SpentOn result={result} behind={behind} />
    </>
  );
}

function TrialsButton({ bench }: Pick<PanelProps, "bench">) {
  const open = useTrialLook((state) => state.open);
  const { trials } = useTrials(bench);
  return (
    <Tip text="Compare all encodes of this output, two at a time" keys="V">
      <Button
        look={open ? "strong" : "plain"}
        aria-pressed={open}
        className="h-[26px]! px-2!"
        onClick={toggleTrials}
      >
        Trials <span className="figure">{trials.length}</span>
      </Button>
    </Tip>
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

function BytesSoFar() {
  const bytes = useSoFar((state) => state.bytes);
  return (
    <span className="whitespace-nowrap text-ink-2">
      <span className="figure">{size(bytes)}</span> so far
    </span>
  );
}
