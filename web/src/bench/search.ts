// The search for the truest file that fits a budget: asked for, followed, and what it found taken over.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { api, data, type Output, type SearchInfo, type TrialInfo } from "../api/client";
import { kilobytes } from "../format";
import { tellError } from "../ui/notices";
import { useEdits } from "./edits";
import type { Bench } from "./edits";
import { applyRemedy } from "./remedy";

export type May = SearchInfo["may"][number];

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

interface Wishes {
  /** What was chosen by hand; what was not is as usual: all but size and rate. */
  may: Partial<Record<May, boolean>>;
  /** The search that this window began: what it finds is taken over if nothing else was changed. */
  begun: number | null;
}

export const useWishes = create<Wishes>(() => ({ may: {}, begun: null }));

export const isAllowed = (may: Wishes["may"], what: May) => may[what] ?? (what !== "size" && what !== "rate");

/** The newest search of the output on show; null if there is none. */
export function useSearch({ project, output }: Bench): SearchInfo | null {
  const query = useQuery({
    queryKey: ["search", project.id, output.id],
    queryFn: ({ signal }) =>
      data<SearchInfo | null>(
        api.GET("/api/projects/{project_id}/searches", {
          params: { path: { project_id: project.id }, query: { output: output.id } },
          signal,
        }),
      ),
    enabled: mayChange(output).length > 0,
    retry: false,
    staleTime: Infinity,
  });
  return query.data ?? null;
}

export const isUnderWay = (search: SearchInfo | null) =>
  search?.state === "queued" || search?.state === "running";

/** Begin to search and call off, for the output on show. */
export function useSearching({ project, output, release }: Bench) {
  const queries = useQueryClient();
  const key = ["search", project.id, output.id];
  return {
    begin: (most: number) => {
      release();
      const { may } = useWishes.getState();
      const allowed = mayChange(output).filter((one) => isAllowed(may, one));
      data<SearchInfo>(
        api.POST("/api/projects/{project_id}/searches", {
          params: { path: { project_id: project.id } },
          body: { output: output.id, most, may: allowed },
        }),
      )
        .then((search) => {
          useWishes.setState({ begun: search.id });
          queries.setQueryData(key, search);
        })
        .catch(tellError);
    },
    cancel: (search: SearchInfo) => {
      data(
        api.POST("/api/projects/{project_id}/searches/{search_id}/cancel", {
          params: { path: { project_id: project.id, search_id: search.id } },
        }),
      )
        .then(() => queries.invalidateQueries({ queryKey: key }))
        .catch(tellError);
    },
  };
}

/** Set the output as a trial was, as one edit. */
export const adopt = (bench: Bench, search: SearchInfo, trial: TrialInfo) =>
  applyRemedy(bench, { text: `Fit under ${kilobytes(search.most)} KB`, settings: trial.settings });

/** Whether the output is set as a trial was. */
export function isSet(output: Output, { settings }: TrialInfo): boolean {
  return settings.every(({ path: [, ...keys], value }) => {
    const now = keys.reduce<unknown>((part, key) => (part as Record<string, unknown> | null)?.[key], output);
    return JSON.stringify(now) === JSON.stringify(value);
  });
}

/** What this window searched for is taken over once it is found, as one edit, if nothing was changed meanwhile. */
export function useFitting(bench: Bench): void {
  const search = useSearch(bench);
  const begun = useWishes((state) => state.begun);
  const waiting = useEdits((state) => state.waiting.length > 0);
  useEffect(() => {
    if (!search || search.id !== begun || isUnderWay(search)) return;
    useWishes.setState({ begun: null });
    const best = search.trials.find(({ id }) => id === search.best);
    const as = !waiting && bench.project.revision.id === search.revision_id;
    if (search.state === "done" && best && as && !isSet(bench.output, best)) adopt(bench, search, best);
  }, [search, begun, waiting, bench]);
}
