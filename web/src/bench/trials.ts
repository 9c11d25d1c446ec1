// Trials of an output: every real encoding of it, searches that make some, and what is done with one.

import { keepPreviousData, queryOptions, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { api, data, type Output, type SearchInfo, type TrialInfo, type TrialsInfo } from "../api/client";
import { kilobytes } from "../format";
import { tellError } from "../ui/notices";
import { useEdits } from "./edits";
import type { Bench } from "./edits";
import { viewOf } from "./formats/table";
import { mostBytes } from "./framing";

export type May = SearchInfo["may"][number];
export type Kind = SearchInfo["kind"];

/** What a search can change of an output. */
export function mayChange(output: Output): readonly May[] {
  switch (output.format) {
    case "gif":
      return ["colours", "dither", "tolerance", "loss", "palette", "size", "rate"];
    case "webp":
      return output.lossless ? ["size", "rate"] : ["quality", "size", "rate"];
    case "avif":
      return ["quality", "size", "rate"];
    case "video":
      return ["h264", "vp9"].includes(output.codec) ? ["quality", "size", "rate"] : ["size", "rate"];
    case "frames":
      return output.picture === "jpeg" ? ["quality", "size", "rate"] : ["size", "rate"];
    case "still":
      return output.picture === "png" ? ["size"] : ["quality", "size"];
    case "apng":
      return ["size", "rate"];
    case "sheet":
      return [];
  }
}

/** What "try others" makes a spread of. */
export const spreads = (output: Output) => mayChange(output).some((one) => one !== "size" && one !== "rate");

/** Formats of a single file that plays: others can be made of one of them. */
export const hasOtherFormats = ({ format }: Output) =>
  ["gif", "apng", "webp", "avif", "video"].includes(format);

interface Wishes {
  /** What was chosen by hand; what was not is as usual: all but size and rate. */
  may: Partial<Record<May, boolean>>;
  /** The searches for a budget that this window began: what they find is taken over if nothing else was changed. */
  begun: readonly { output: string; search: number }[];
}

export const useWishes = create<Wishes>(() => ({ may: {}, begun: [] }));

export const isAllowed = (may: Wishes["may"], what: May) => may[what] ?? (what !== "size" && what !== "rate");

const NONE: TrialsInfo = { trials: [], searches: [] };

const pixelsNow = (project: Bench["project"], output: Output) =>
  project.results.find((one) => one.output_id === output.id)?.pixels;

/** What is asked for the trials of an output: anew when its file is another. */
const trialsOf = (project: string, output: string, pixels: string | undefined) =>
  queryOptions({
    queryKey: ["trials", project, output, pixels],
    queryFn: ({ signal }) =>
      data<TrialsInfo>(
        api.GET("/api/projects/{project_id}/trials", {
          params: { path: { project_id: project }, query: { output } },
          signal,
        }),
      ),
    retry: false,
    staleTime: Infinity,
  });

/** The trials of an output, and the newest searches for some. */
export function useTrials({ project, output }: Pick<Bench, "project" | "output">): TrialsInfo {
  const query = useQuery({
    ...trialsOf(project.id, output.id, pixelsNow(project, output)),
    enabled: mayChange(output).length > 0,
    placeholderData: (before, query) =>
      query?.queryKey[1] === project.id && query.queryKey[2] === output.id
        ? keepPreviousData(before)
        : undefined,
  });
  return query.data ?? NONE;
}

export const isUnderWay = ({ state }: SearchInfo) => state === "queued" || state === "running";

/** The newest search of a kind. */
export const newest = ({ searches }: TrialsInfo, kind: Kind) => searches.find((one) => one.kind === kind);

/** The trials that a search made, in their order. */
export function madeBy(search: SearchInfo, trials: readonly TrialInfo[]): TrialInfo[] {
  const byId = new Map(trials.map((trial) => [trial.id, trial]));
  return search.trials.flatMap((id) => byId.get(id) ?? []);
}

/** The trial that an output is now, where its file is as it is set. */
export const inUse = (trials: readonly TrialInfo[], pixels: string | undefined) =>
  trials.find((trial) => trial.pixels === pixels);

interface Wished {
  /** Another output than that on show. */
  of?: Output;
  most?: number;
  outputs?: string[];
  as_set?: Output;
}

/** Begin to search and call off, for an output. */
export function useSearching({ project, output, release }: Bench) {
  const queries = useQueryClient();
  const refresh = (of: string) => queries.invalidateQueries({ queryKey: ["trials", project.id, of] });
  const begin = (kind: Kind, { of = output, ...more }: Wished = {}) => {
    release();
    const { may } = useWishes.getState();
    const allowed = mayChange(of).filter((one) => isAllowed(may, one));
    data<SearchInfo>(
      api.POST("/api/projects/{project_id}/searches", {
        params: { path: { project_id: project.id } },
        body: { output: of.id, kind, most: null, outputs: null, as_set: null, ...more, may: allowed },
      }),
    )
      .then(({ id }) => {
        if (kind === "budget")
          useWishes.setState(({ begun }) => ({ begun: [...begun, { output: of.id, search: id }] }));
        return refresh(of.id);
      })
      .catch(tellError);
  };
  return {
    begin,
    /** Fit several, one after the other, each under its own budget. */
    fitAll: (some: readonly Output[]) =>
      some.forEach((of) => begin("budget", { of, most: mostBytes(of) ?? undefined })),
    cancel: (search: SearchInfo) => {
      data(
        api.POST("/api/projects/{project_id}/searches/{search_id}/cancel", {
          params: { path: { project_id: project.id, search_id: search.id } },
        }),
      )
        .then(() => refresh(search.output_id))
        .catch(tellError);
    },
  };
}

/** Give a trial a name, or a note. */
export function useWords({ project, output }: Bench) {
  const queries = useQueryClient();
  return (trial: TrialInfo, words: { name?: string; note?: string }) => {
    data(
      api.PATCH("/api/projects/{project_id}/trials/{trial_id}", {
        params: { path: { project_id: project.id, trial_id: trial.id } },
        body: words,
      }),
    )
      .then(() => queries.invalidateQueries({ queryKey: ["trials", project.id, output.id] }))
      .catch(tellError);
  };
}

/** What of an output says which frames it shows, and how large. */
const FRAMED = ["take", "framing", "size"] as const;

/** An output set as a trial was; where it shows the same frames those and their time stay. */
export function setAs(now: Output, trial: TrialInfo, alike: boolean): Output {
  const { id, name, target } = now;
  const as = { ...trial.output, id, name, target } as unknown as Output;
  const kept = alike ? Object.fromEntries(FRAMED.map((key) => [key, now[key]])) : {};
  const ending = (one: string) => /\.[^.]*$/.exec(one)?.[0] ?? "";
  const stem = now.file_name.slice(0, now.file_name.length - ending(now.file_name).length);
  const file_name = now.format === as.format ? now.file_name : `${stem}${ending(as.file_name)}`;
  return { ...as, ...kept, file_name };
}

/** Set the output as a trial was, as one edit. */
export const adopt = (bench: Bench, trial: TrialInfo, label: string) => adoptAll(bench, [trial], label);

/** Set several outputs as trials of theirs were, as one edit. */
export function adoptAll(bench: Bench, trials: readonly TrialInfo[], label: string): void {
  const { results } = bench.project;
  bench.edit(label, (recipe) => ({
    ...recipe,
    outputs: recipe.outputs.map((one) => {
      const trial = trials.find(({ output_id }) => output_id === one.id);
      const sources = results.find(({ output_id }) => output_id === one.id)?.sources;
      return trial ? setAs(one, trial, trial.sources === sources) : one;
    }),
  }));
}

export const fitLabel = (most: number) => `Fit under ${kilobytes(most)} KB`;

type Settings = Record<string, unknown>;

const isSettings = (value: unknown): value is Settings =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** What is set otherwise, by its own name, parts looked into. */
function* differing(before: Settings, after: Settings): Generator<[string, unknown]> {
  for (const [key, value] of Object.entries(after)) {
    const old = before[key];
    if (isSettings(value) && isSettings(old)) yield* differing(old, value);
    else if (JSON.stringify(old) !== JSON.stringify(value)) yield [key, value];
  }
}

/** A setting's value as it is shown. */
const plain = (value: unknown) => (typeof value === "string" ? value : JSON.stringify(value));

const WORDS: Record<string, (value: unknown) => string> = {
  palette: (value) => (value === "frame" ? "palettes by frame" : "one palette"),
  dither: (value) =>
    value === "none" ? "no dither" : value === "diffusion" ? "diffused" : `${plain(value)} dither`,
  locked: (value) => `${(value as unknown[]).length} locked`,
  width: (value) => (value === null ? "full width" : `${plain(value)} px wide`),
  height: (value) => (value === null ? "full height" : `${plain(value)} px high`),
  lossless: (value) => (value ? "lossless" : "with loss"),
  rate: (value) => (value === null ? "the project's rate" : `${plain(value)} fps`),
};
const PASSED_OVER = ["file_name", "format", "keep", "amount", "matrix", "sparing", "effort", "speed"];

/** What a trial sets that another does not, in words. */
export function settingsOf(trial: TrialInfo, than: TrialInfo | undefined): string {
  const title = viewOf(trial.output as unknown as Output).title(trial.output as unknown as Output);
  if (trial.format !== than?.format || trial.output.codec !== than.output.codec) {
    const { quality, tuning, lossless } = trial.output as {
      quality?: number;
      tuning?: Settings;
      lossless?: boolean;
    };
    const how = lossless
      ? "lossless"
      : tuning
        ? [...differing({}, { colours: tuning.colours, loss: tuning.loss })]
            .map(([key, value]) => `${key} ${plain(value)}`)
            .join(", ")
        : quality !== undefined
          ? `quality ${quality}`
          : "";
    return [title, how].filter(Boolean).join(", ");
  }
  const words = [...differing(than.output, trial.output)]
    .filter(([key]) => !PASSED_OVER.includes(key))
    .map(([key, value]) => WORDS[key]?.(value) ?? `${key} ${plain(value)}`);
  return words.join(", ") || (trial.id === than.id ? "as it is" : "set alike");
}

export interface RunnerUp {
  trial: TrialInfo;
  words: string;
}

/** What a search found beside its best: smaller and not much worse, better and not much larger, with less standing out. */
export function runnersUp(search: SearchInfo, trials: readonly TrialInfo[]): RunnerUp[] {
  const made = madeBy(search, trials);
  const best = made.find(({ id }) => id === search.best);
  if (!best || best.error === null) return [];
  const lost = (one: TrialInfo) => one.error ?? 1;
  const ssim = (one: TrialInfo) => `SSIM ${(lost(best) - lost(one)).toFixed(4).replace("-", "−")}`;
  const share = (one: TrialInfo) => Math.round(100 * Math.abs(1 - one.bytes / best.bytes));
  const found: RunnerUp[] = [];
  const add = (trial: TrialInfo | undefined, words: (one: TrialInfo) => string) => {
    if (trial && !found.some((one) => one.trial.id === trial.id)) found.push({ trial, words: words(trial) });
  };
  const least = (some: TrialInfo[], by: (one: TrialInfo) => number) =>
    [...some].sort((a, b) => by(a) - by(b))[0];
  const alike = made.filter((one) => one.sources === best.sources && one.id !== best.id);
  add(
    least(
      alike.filter((one) => one.bytes <= 0.9 * best.bytes && lost(one) <= 2 * lost(best)),
      lost,
    ),
    (one) => `${share(one)} % smaller, ${ssim(one)}`,
  );
  add(
    least(
      alike.filter((one) => one.bytes > best.bytes && lost(one) < lost(best)),
      (one) => one.bytes,
    ),
    (one) => `${share(one)} % larger, ${ssim(one).replace("SSIM ", "SSIM +")}`,
  );
  if (best.stands_out)
    add(
      least(
        alike.filter((one) => !one.stands_out && one.bytes <= (search.most ?? 0)),
        lost,
      ),
      (one) => `nothing stands out, ${ssim(one)}`,
    );
  return found;
}

/** Outputs that are larger than they may be, and could be less; those whose file is older than their settings are not known. */
export function overBudget({ project, recipe }: Bench): Output[] {
  return recipe.outputs.filter((output) => {
    const most = mostBytes(output);
    const result = project.results.find((one) => one.output_id === output.id);
    const known = most !== null && result?.revision_id === project.revision.id;
    return known && result.info.bytes > most && mayChange(output).length > 0;
  });
}

/**
 * What this window searched for is taken over once it is found, each as one edit, unless the output was changed
 * meanwhile.
 */
export function useFitting(bench: Bench): void {
  const { project, recipe } = bench;
  const begun = useWishes((state) => state.begun);
  const waiting = useEdits((state) => state.waiting.length > 0);
  const outputs = recipe.outputs.filter(({ id }) => begun.some((one) => one.output === id));
  const found = useQueries({
    queries: outputs.map((output) => trialsOf(project.id, output.id, pixelsNow(project, output))),
    combine: (all) => all.map((one) => one.data),
  });
  useEffect(() => {
    if (waiting) return;
    outputs.forEach((output, at) => {
      const known = found[at];
      const search = known && newest(known, "budget");
      const wished = begun.find((one) => one.output === output.id && one.search === search?.id);
      if (!known || !search || !wished || isUnderWay(search)) return;
      const result = project.results.find((one) => one.output_id === output.id);
      if (result?.revision_id !== project.revision.id) return; // it is being made as it was
      useWishes.setState((state) => ({ begun: state.begun.filter((one) => one !== wished) }));
      const made = madeBy(search, known.trials);
      const best = made.find(({ id }) => id === search.best);
      const as = made[0]?.pixels === result.pixels;
      if (search.state === "done" && best && as && best.pixels !== result.pixels)
        adopt(bench, best, fitLabel(search.most ?? best.bytes));
    });
  });
}
