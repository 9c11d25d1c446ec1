// The truest file that fits the budget: what may change for it, how the search goes, and what it found.

import type { SearchInfo, TrialInfo } from "../../api/client";
import { count, kilobytes, size } from "../../format";
import { Button } from "../../ui/controls";
import { mostBytes } from "../framing";
import { toggleTrials, useTrialLook } from "../trial/look";
import { Glance } from "../trial/Plot";
import {
  adopt,
  fitLabel,
  inUse,
  isAllowed,
  isUnderWay,
  madeBy,
  mayChange,
  newest,
  overBudget,
  runnersUp,
  useSearching,
  useTrials,
  useWishes,
  type May,
} from "../trials";
import type { PanelProps } from "./panel";

const WORDS: Record<May, string> = {
  colours: "colours",
  dither: "dither",
  tolerance: "tolerance",
  loss: "loss",
  palette: "palettes",
  quality: "quality",
  size: "size",
  rate: "rate",
};

export function Fit({ bench, result, behind }: Pick<PanelProps, "bench" | "result" | "behind">) {
  const { output } = bench;
  const known = useTrials(bench);
  const search = newest(known, "budget");
  const { begin, cancel, fitAll } = useSearching(bench);
  const tooLarge = overBudget(bench);
  const others = tooLarge.filter((one) => one.id !== output.id).length;
  const may = useWishes((state) => state.may);
  const most = mostBytes(output);
  const offered = mayChange(output);
  if (most === null || offered.length === 0) return null;
  const allowed = offered.filter((one) => isAllowed(may, one));
  const made = search ? madeBy(search, known.trials) : [];
  const over = !behind && result !== undefined && result.info.bytes > most;
  return (
    <section aria-label="Fit the budget" className="flex flex-col gap-1.5">
      <div className="flex items-center justify-between gap-2">
        {search && isUnderWay(search) ? (
          <>
            <span role="status" aria-label="Search" className="min-w-0 truncate text-xs text-ink-2">
              {underWay(search, made)}
            </span>
            <Button className="h-[26px]! px-2!" onClick={() => cancel(search)}>
              Cancel
            </Button>
          </>
        ) : (
          <>
            <Button
              look={over ? "strong" : "plain"}
              className="h-[26px]! px-2!"
              disabled={allowed.length === 0}
              onClick={() => begin("budget", { most })}
            >
              {fitLabel(most)}
            </Button>
            {others > 0 ? (
              <Button
                className="h-[26px]! px-2!"
                title="Each under its own budget, one after the other"
                disabled={allowed.length === 0}
                onClick={() => fitAll(tooLarge)}
              >
                Fit all {tooLarge.length} over budget
              </Button>
            ) : (
              <span className="text-xs text-ink-2">as good as it can be</span>
            )}
          </>
        )}
      </div>
      <details>
        <summary className="truncate text-xs text-ink-2">may change: {allowedWords(offered, allowed)}</summary>
        <div role="group" aria-label="May change" className="mt-1.5 flex flex-wrap gap-1">
          {offered.map((one) => (
            <button
              key={one}
              type="button"
              aria-pressed={allowed.includes(one)}
              onClick={() =>
                useWishes.setState((state) => ({ may: { ...state.may, [one]: !isAllowed(state.may, one) } }))
              }
              className={`h-[24px] rounded-[6px] border px-2 text-xs font-medium ${allowed.includes(one) ? "border-jay bg-jay-soft text-jay-deep" : "border-line bg-card text-ink-2 hover:border-ink-3"}`}
            >
              {WORDS[one]}
            </button>
          ))}
        </div>
      </details>
      {search && made.length > 0 && (
        <Tried
          bench={bench}
          search={search}
          trials={made}
          used={behind ? undefined : inUse(made, result?.pixels)}
        />
      )}
      {search?.state === "failed" && search.error && (
        <p className="text-xs text-stop">
          ■ {search.error.message}
          {search.error.remedy && `; ${search.error.remedy}`}
        </p>
      )}
    </section>
  );
}

/** The shorter of what may change and what may not. */
function allowedWords(offered: readonly May[], allowed: readonly May[]): string {
  const kept = offered.filter((one) => !allowed.includes(one));
  const listed = (some: readonly May[]) => some.map((one) => WORDS[one]).join(", ");
  if (kept.length === 0) return "anything";
  if (allowed.length > 2 && kept.length < allowed.length) return `all but ${listed(kept)}`;
  return listed(allowed) || "nothing";
}

function underWay({ most, best }: SearchInfo, trials: readonly TrialInfo[]): string {
  if (trials.length === 0) return "Trying…";
  const fits = trials.find(({ id }) => id === best);
  const least = Math.min(...trials.map(({ bytes }) => bytes));
  const far = fits
    ? `best so far ${size(fits.bytes)}`
    : `least so far ${size(least)} of ${kilobytes(most ?? 0)}`;
  return `${trials.length} tried, ${far}`;
}

/** What was tried, and what came of it. */
function Tried({
  bench,
  search,
  trials,
  used,
}: Pick<PanelProps, "bench"> & {
  search: SearchInfo;
  trials: readonly TrialInfo[];
  used: TrialInfo | undefined;
}) {
  const { output } = bench;
  const open = useTrialLook((state) => state.open);
  const found = trials.find(({ id }) => id === search.nearest);
  const fits = search.best !== null;
  const most = search.most ?? 0;
  const old = !used && bench.project.revision.id !== search.revision_id;
  // For another budget it is the best no more.
  const other = most !== mostBytes(output) ? `, for ${kilobytes(most)} KB` : "";
  const tried = count(trials.length, "file");
  const over = isUnderWay(search);
  return (
    <>
      {!open && (
        <button
          type="button"
          title="Show them on the stage"
          onClick={toggleTrials}
          className={`rounded-[7px] hover:outline-2 hover:outline-jay ${old || other ? "opacity-60" : ""}`}
        >
          <Glance search={search} trials={trials} used={used} />
        </button>
      )}
      {!over && found && (
        <div className="flex items-center justify-between gap-2 text-xs">
          {found.id === used?.id ? (
            <span className={other ? "text-ink-2" : fits ? "text-fine" : "text-stop"}>
              {!other && `${fits ? "✓" : "■"} `}
              {`the ${fits ? "best" : "smallest"} of ${tried} tried${other}`}
            </span>
          ) : (
            <>
              <span className="min-w-0 text-ink-2">
                {inWords(found, fits)}
                {old && ", before the last change"}
                {other}
              </span>
              <Button className="h-[26px]! px-2!" onClick={() => adopt(bench, found, fitLabel(most))}>
                Use it
              </Button>
            </>
          )}
        </div>
      )}
      {!over && !other && (
        <ul aria-label="Runners-up" className="flex flex-col gap-1">
          {runnersUp(search, trials)
            .filter(({ trial }) => trial.id !== used?.id)
            .map(({ trial, words }) => (
              <li key={trial.id} className="flex items-center justify-between gap-2 text-xs">
                <span className="min-w-0 truncate text-ink-2">{words}</span>
                <Button
                  className="h-[22px]! px-2!"
                  onClick={() => adopt(bench, trial, `Trial ${trial.number}`)}
                >
                  Use<span className="sr-only"> {size(trial.bytes)}</span>
                </Button>
              </li>
            ))}
        </ul>
      )}
      {search.state === "done" && !fits && !other && (
        <p className="text-xs text-stop">
          ■ {kilobytes(most)} KB cannot be reached by what may change.{" "}
          <span className="text-ink-2">{giveWay(search)}</span>
        </p>
      )}
    </>
  );
}

const inWords = ({ bytes, likeness }: TrialInfo, fits: boolean) =>
  `${fits ? "best" : "smallest"}: ${size(bytes)}${likeness?.ssim == null ? "" : `, SSIM ${likeness.ssim.toFixed(4)}`}`;

/** What would have to give. */
function giveWay({ may }: SearchInfo): string {
  const more = (["size", "rate"] as const).filter((one) => !may.includes(one));
  return more.length > 0 ? `Allow another ${more.join(" or ")}, or more bytes.` : "Allow more bytes.";
}
