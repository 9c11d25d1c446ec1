// The truest file that fits the budget: what may change for it, how the search goes, and what it found.

import type { SearchInfo, TrialInfo } from "../../api/client";
import { count, kilobytes, size } from "../../format";
import { Button } from "../../ui/controls";
import { mostBytes } from "../framing";
import {
  adopt,
  isAllowed,
  isSet,
  isUnderWay,
  mayChange,
  useSearch,
  useSearching,
  useWishes,
  type May,
} from "../search";
import type { PanelProps } from "./panel";
import { settingsOf, TrialPlot } from "./TrialPlot";

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
  const search = useSearch(bench);
  const { begin, cancel } = useSearching(bench);
  const may = useWishes((state) => state.may);
  const most = mostBytes(output);
  const offered = mayChange(output);
  if (most === null || offered.length === 0) return null;
  const allowed = offered.filter((one) => isAllowed(may, one));
  const over = !behind && result !== undefined && result.info.bytes > most;
  return (
    <section aria-label="Fit the budget" className="flex flex-col gap-1.5">
      <div className="flex items-center justify-between gap-2">
        {search && isUnderWay(search) ? (
          <>
            <span role="status" aria-label="Search" className="min-w-0 truncate text-xs text-ink-2">
              {underWay(search)}
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
              onClick={() => begin(most)}
            >
              Fit under {kilobytes(most)} KB
            </Button>
            <span className="text-xs text-ink-2">as good as it can be</span>
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
      {search && search.trials.length > 0 && <Tried bench={bench} search={search} result={result} />}
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

function underWay({ trials, most, best }: SearchInfo): string {
  if (trials.length === 0) return "Trying…";
  const fits = trials.find(({ id }) => id === best);
  const least = Math.min(...trials.map(({ bytes }) => bytes));
  const far = fits ? `best so far ${size(fits.bytes)}` : `least so far ${size(least)} of ${kilobytes(most)}`;
  return `${trials.length} tried, ${far}`;
}

/** What was tried, and what came of it. */
function Tried({ bench, search, result }: Pick<PanelProps, "bench" | "result"> & { search: SearchInfo }) {
  const { output } = bench;
  const found = search.trials.find(({ id }) => id === search.nearest);
  const used = search.trials.find((trial) => trial.bytes === result?.info.bytes && isSet(output, trial));
  const fits = search.best !== null;
  const old = !used && bench.project.revision.id !== search.revision_id;
  // For another budget it is the best no more.
  const other = search.most !== mostBytes(output) ? `, for ${kilobytes(search.most)} KB` : "";
  const tried = count(search.trials.length, "file");
  return (
    <>
      <div className={old || other ? "opacity-60" : ""}>
        <TrialPlot search={search} used={used?.id} />
      </div>
      {!isUnderWay(search) && found && (
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
              <Button className="h-[26px]! px-2!" onClick={() => adopt(bench, search, found)}>
                Use it
              </Button>
            </>
          )}
        </div>
      )}
      {!isUnderWay(search) && <All bench={bench} search={search} used={used} />}
      {search.state === "done" && !fits && !other && (
        <p className="text-xs text-stop">
          ■ {kilobytes(search.most)} KB cannot be reached by what may change.{" "}
          <span className="text-ink-2">{giveWay(search)}</span>
        </p>
      )}
    </>
  );
}

const inWords = ({ bytes, likeness: { ssim } }: TrialInfo, fits: boolean) =>
  `${fits ? "best" : "smallest"}: ${size(bytes)}${ssim === null ? "" : `, SSIM ${ssim.toFixed(4)}`}`;

/** Every file that was tried, the smallest first: each can be used instead. */
function All({
  bench,
  search,
  used,
}: Pick<PanelProps, "bench"> & { search: SearchInfo; used: TrialInfo | undefined }) {
  const sorted = [...search.trials].sort((one, two) => one.bytes - two.bytes);
  return (
    <details>
      <summary className="text-xs text-ink-2">all {count(sorted.length, "file")} tried</summary>
      <ul aria-label="Files tried" className="mt-1 flex flex-col gap-1">
        {sorted.map((trial) => (
          <li key={trial.id} className="flex items-center justify-between gap-2 text-xs">
            <span className="min-w-0">
              <span className={`figure ${trial.bytes <= search.most ? "" : "text-stop"}`}>
                {size(trial.bytes)}
                {trial.likeness.ssim !== null && ` · ${trial.likeness.ssim.toFixed(4)}`}
              </span>
              {trial.stands_out && <span className="text-look"> · {trial.stands_out.blemish}</span>}
              <span className="block truncate text-ink-2">{settingsOf(trial, search.trials)}</span>
            </span>
            {trial === used ? (
              <span className="text-ink-2">in use</span>
            ) : (
              <Button className="h-[24px]! px-2!" onClick={() => adopt(bench, search, trial)}>
                Use<span className="sr-only"> {size(trial.bytes)}</span>
              </Button>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}

/** What would have to give. */
function giveWay({ may }: SearchInfo): string {
  const more = (["size", "rate"] as const).filter((one) => !may.includes(one));
  return more.length > 0 ? `Allow another ${more.join(" or ")}, or more bytes.` : "Allow more bytes.";
}
