// Trials on the stage: two of them play above, all of them lie on a plot below.

import { useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect, useMemo, useState, type ReactNode } from "react";
import { api, ApiError, data, type LikenessInfo, type TrialInfo } from "../../api/client";
import { count, size } from "../../format";
import { Button, IconButton, Mark, Segmented, TextField } from "../../ui/controls";
import type { Bench } from "../edits";
import { mostBytes, pageColour } from "../framing";
import { goTo, standsOutWords } from "../likeness";
import { backdropColour } from "../Stage";
import {
  adopt,
  hasOtherFormats,
  inUse,
  isUnderWay,
  madeBy,
  newest,
  settingsOf,
  spreads,
  useSearching,
  useTrials,
  useWords,
} from "../trials";
import type { Shown } from "../useShown";
import { useView } from "../view";
import { BlindTest } from "./BlindTest";
import { lookAt, pairOf, toggleTrials, useTrialLook, type Mode } from "./look";
import { SideBySide, Wiped, type Ground, type Half } from "./Pair";
import { isMeasured, Plot } from "./Plot";
import { placesOf } from "./places";
import { useFrames } from "./useFrames";

const MODES: readonly { value: Mode; label: string; tip: string }[] = [
  { value: "beside", label: "Side by side", tip: "Both at once, in sync" },
  { value: "wipe", label: "Wipe", tip: "One over the other" },
  { value: "blind", label: "Blind", tip: "Compare without knowing which is which" },
];

/** How long after a pointer comes to rest on a trial it plays, in ms. */
const REST = 60;

export function TrialsStage({ bench, shown, behind }: { bench: Bench; shown: Shown | null; behind: boolean }) {
  const { output, project } = bench;
  const known = useTrials(bench);
  const { trials } = known;
  const formats = newest(known, "formats");
  const { of, left: chosenLeft, right: chosenRight, pointed, mode } = useTrialLook();
  const backdrop = useView((state) => state.backdrop);
  const result = project.results.find((one) => one.output_id === output.id);
  const used = behind ? undefined : inUse(trials, result?.pixels);
  const chosen = of === output.id ? { left: chosenLeft, right: chosenRight } : { left: null, right: null };
  const pair = pairOf(trials, chosen, used);
  const resting = useRested(pointed);
  const right = trials.find(({ id }) => id === resting) ?? pair.right;
  const [first, second] = [useFrames(pair.left, shown), useFrames(right, shown)];
  useMeasuring(bench, trials);
  const ground: Ground = {
    className: backdrop === "chequer" ? "chequer" : "",
    background: backdropColour(backdrop, pageColour(output)),
  };
  const most = mostBytes(output);
  const point = useMemo(() => (id: number | null) => useTrialLook.setState({ pointed: id }), []);
  const choose = useMemo(() => (id: number) => lookAt(output.id, { right: id }), [output.id]);
  const half = (trial: TrialInfo | undefined, { found, error }: typeof first): Half => ({
    frames: found,
    error,
    label: trial && <Label trial={trial} used={used} />,
    foot: trial && <Foot trial={trial} sources={result?.sources} />,
  });
  const [one, two] = [half(pair.left, first), half(right, second)];
  return (
    <section
      aria-label="Trials on stage"
      className="grid min-h-0 grid-rows-[minmax(0,1fr)_auto] overflow-hidden rounded-[12px] bg-stage"
    >
      <div className="grid min-h-0 p-3 pb-2">
        {!pair.left ? (
          <p className="self-center justify-self-center rounded-[8px] bg-card px-4 py-2">
            Every encode of this output appears here; the first is on its way.
          </p>
        ) : !right || right.id === pair.left.id ? (
          <SideBySide left={one} right={null} ground={ground} />
        ) : mode === "blind" ? (
          <BlindTest
            key={`${pair.left.id} ${right.id}`}
            bench={bench}
            trials={[pair.left, right]}
            halves={[one, two]}
            ground={ground}
          />
        ) : mode === "wipe" ? (
          <Wiped left={one} right={two} ground={ground} />
        ) : (
          <SideBySide left={one} right={two} ground={ground} />
        )}
      </div>
      <div className="flex flex-col gap-1.5 border-t border-line bg-card px-3 pt-2 pb-2">
        <div className="flex items-center gap-2">
          <h2 className="font-bold">Trials</h2>
          <Segmented
            label="Compare"
            value={mode}
            choices={MODES}
            onChange={(next) => useTrialLook.setState({ mode: next, pointed: null })}
          />
          <span className="grow" />
          <Others bench={bench} />
          <IconButton tip="Close trials" keys="V" className="h-[26px]!" onClick={toggleTrials}>
            <X size={14} />
          </IconButton>
        </div>
        {mode === "blind" && right && pair.left && right.id !== pair.left.id ? (
          <p className="py-1 text-ink-2">
            Names and sizes stay hidden until you reveal them. Arrow keys step both, Space plays both.
          </p>
        ) : (
          <div className="flex gap-3">
            <Plot
              trials={trials}
              sources={result?.sources}
              most={most}
              used={used?.id}
              left={pair.left?.id}
              right={pair.right?.id}
              onPoint={point}
              onChoose={choose}
            />
            {right && <Card key={right.id} bench={bench} trial={right} used={used} left={pair.left} />}
          </div>
        )}
        <Formats made={formats ? madeBy(formats, trials) : []} onChoose={choose} />
      </div>
    </section>
  );
}

/** What a pointer rests on: on its way over others nothing is opened. */
function useRested(id: number | null): number | null {
  const [rested, setRested] = useState(id);
  useEffect(() => {
    const timer = setTimeout(() => setRested(id), id === null ? 0 : REST);
    return () => clearTimeout(timer);
  }, [id]);
  return rested;
}

/** Measure what is not, one after the other, the newest first. */
function useMeasuring({ project, output }: Bench, trials: readonly TrialInfo[]): void {
  const queries = useQueryClient();
  const [passed, setPassed] = useState<ReadonlySet<number>>(new Set());
  const [tries, setTries] = useState(0);
  const next = trials.findLast((trial) => !isMeasured(trial) && !passed.has(trial.id))?.id;
  useEffect(() => {
    if (next === undefined) return;
    const abort = new AbortController();
    let timer: ReturnType<typeof setTimeout> | undefined;
    data<LikenessInfo>(
      api.GET("/api/trials/{trial_id}/likeness", {
        params: { path: { trial_id: next } },
        signal: abort.signal,
      }),
    )
      .then(() => queries.invalidateQueries({ queryKey: ["trials", project.id, output.id] }))
      .catch((error: unknown) => {
        if (abort.signal.aborted) return;
        // What is in the way passes.
        if (error instanceof ApiError && [409, 503].includes(error.status))
          timer = setTimeout(() => setTries((before) => before + 1), 500);
        else setPassed((before) => new Set([...before, next]));
      });
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [next, tries, queries, project.id, output.id]);
}

function Label({ trial, used }: { trial: TrialInfo; used: TrialInfo | undefined }) {
  return (
    <span className="figure pointer-events-none rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
      {trial.number} · {size(trial.bytes)}
      {trial.id === used?.id && " · in use"}
      {trial.name && ` · ${trial.name}`}
    </span>
  );
}

/** How like its frames it is, and what stands out: a way there. */
function Foot({ trial, sources }: { trial: TrialInfo; sources: string | undefined }): ReactNode {
  const { likeness, stands_out: out } = trial;
  return (
    <p className="mt-1.5 flex h-[24px] items-center justify-between gap-2 overflow-hidden rounded-[6px] bg-card px-2 text-xs">
      <span className="figure whitespace-nowrap text-ink-2">
        {!likeness
          ? "measuring…"
          : likeness.psnr === null
            ? "nothing is lost"
            : `${likeness.psnr.toFixed(1)} dB${likeness.ssim === null ? "" : ` · SSIM ${likeness.ssim.toFixed(4)}`}`}
      </span>
      {trial.sources !== sources ? (
        <span className="truncate text-ink-2">
          {trial.width} × {trial.height}, other frames or framing
        </span>
      ) : out ? (
        <button
          type="button"
          title="Go to it"
          className="truncate font-semibold text-look underline-offset-2 hover:underline"
          onClick={() => goTo(out)}
        >
          ▲ {standsOutWords(out, trial)}
        </button>
      ) : (
        likeness && <Mark verdict="fine" word="nothing stands out" />
      )}
    </p>
  );
}

/** Make others, or see how far that is. */
function Others({ bench }: { bench: Bench }) {
  const { searches, trials } = useTrials(bench);
  const { begin, cancel } = useSearching(bench);
  const search = searches.find(isUnderWay);
  if (search)
    return (
      <>
        <span role="status" aria-label="Trying" className="text-xs text-ink-2">
          {search.trials.length === 0 ? "Trying…" : `${count(search.trials.length, "file")} tried`}
        </span>
        <Button className="h-[26px]! px-2!" onClick={() => cancel(search)}>
          Cancel
        </Button>
      </>
    );
  const unmeasured = trials.filter((trial) => !isMeasured(trial)).length;
  return (
    <>
      {unmeasured > 0 && <span className="text-xs text-ink-2">{unmeasured} to be measured</span>}
      {spreads(bench.output) && (
        <Button
          className="h-[26px]! px-2!"
          title="Encode other settings, where the plot has gaps"
          onClick={() => begin("spread")}
        >
          Try others
        </Button>
      )}
      {hasOtherFormats(bench.output) && (
        <Button
          className="h-[26px]! px-2!"
          title="Encode it in each other format, at a similar likeness"
          onClick={() => begin("formats")}
        >
          In other formats
        </Button>
      )}
    </>
  );
}

/** The one on the right: what it sets, what is said of it, and a way to have it. */
function Card({
  bench,
  trial,
  used,
  left,
}: {
  bench: Bench;
  trial: TrialInfo;
  used: TrialInfo | undefined;
  left: TrialInfo | undefined;
}) {
  const say = useWords(bench);
  return (
    <section aria-label={`Trial ${trial.number}`} className="flex w-[236px] shrink-0 flex-col gap-1.5">
      <p className="flex items-baseline justify-between gap-2">
        <b className="figure">
          {trial.number} · {size(trial.bytes)}
        </b>
        <span className="truncate text-xs text-ink-2" title={settingsOf(trial, used ?? left)}>
          {settingsOf(trial, used ?? left)}
        </span>
      </p>
      {(["name", "note"] as const).map((what) => (
        <TextField
          key={what}
          label={what === "name" ? "Name of the trial" : "Note on the trial"}
          placeholder={what === "name" ? "Name" : "Note"}
          value={trial[what]}
          maxLength={what === "name" ? 80 : 400}
          read={(text) => text.trim()}
          onCommit={(text) => say(trial, { [what]: text })}
        />
      ))}
      <div className="flex gap-1.5">
        <Button
          look="strong"
          className="h-[26px]! grow px-2!"
          disabled={trial.id === used?.id}
          onClick={() => adopt(bench, trial, `Trial ${trial.number}`)}
        >
          {trial.id === used?.id ? "In use" : "Use it"}
        </Button>
        <Button
          className="h-[26px]! px-2!"
          title="Swap the left and the right trial"
          disabled={trial.id === left?.id}
          onClick={() => lookAt(bench.output.id, { left: trial.id, right: left?.id })}
        >
          Swap sides
        </Button>
      </div>
    </section>
  );
}

/** What it would weigh as something else, and where that plays. */
function Formats({ made, onChoose }: { made: readonly TrialInfo[]; onChoose: (id: number) => void }) {
  const found = placesOf(made);
  if (found.length === 0) return null;
  return (
    <ul aria-label="In other formats" className="flex gap-1.5 overflow-x-auto text-xs whitespace-nowrap">
      {found.map(({ trial, title, plays }) => (
        <li key={trial.id}>
          <button
            type="button"
            title={`Plays ${plays[1]}`}
            onClick={() => onChoose(trial.id)}
            className="flex h-[24px] items-center gap-1.5 rounded-[6px] border border-line px-2 hover:border-ink-3"
          >
            <b>{title}</b> <span className="figure">{size(trial.bytes)}</span>
            <span className="text-ink-2">{plays[0]}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}
