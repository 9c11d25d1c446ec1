// What a live show needs to know of a numbered set, asked for once it is made.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, data, type BroadcastInfo, type Recipe, type ResultInfo } from "../api/client";
import type { Bench } from "./edits";

export interface Known {
  info: BroadcastInfo;
  /** Whether it is of the result as it is now, and not of one before the last change. */
  fresh: boolean;
}

/** Of the output's result; that of the one before while it is made anew. */
export function useBroadcast(bench: Bench, result: ResultInfo | undefined, behind: boolean): Known | undefined {
  const wanted =
    result !== undefined && !behind && result.info.format === "frames" && bench.output.format === "frames";
  const query = useQuery({
    queryKey: ["broadcast", bench.project.id, bench.output.id, result?.key, bench.project.revision.id],
    queryFn: async () => ({
      of: `${bench.project.id}/${bench.output.id}`,
      info: await data<BroadcastInfo>(
        api.GET("/api/projects/{project_id}/broadcast", {
          params: { path: { project_id: bench.project.id }, query: { output: bench.output.id } },
        }),
      ),
    }),
    enabled: wanted,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  if (query.data?.of !== `${bench.project.id}/${bench.output.id}`) return undefined;
  return { info: query.data.info, fresh: wanted && !query.isPlaceholderData };
}

/** What of the picture a transition leaves open is hatched on the stage. */
export const useOpenMarks = create<{ on: boolean }>(() => ({ on: false }));

/** Which of a set's files shows at a played step, from 0. */
export const fileOf = (result: ResultInfo, step: number) => result.at[step] ?? step;

/** The last step whose first file is not after a file. */
export function stepOf(result: ResultInfo, file: number): number {
  const after = result.at.findIndex((first) => first > file);
  return after < 0 ? Math.max(0, result.at.length - 1) : Math.max(0, after - 1);
}

/** The recipe with an output conformed: as many frames as a transition has, at its rate, none written twice over. */
export function conformed(recipe: Recipe, outputId: string, rate: string, seconds: number): Recipe {
  return {
    ...recipe,
    outputs: recipe.outputs.map((one) =>
      one.id === outputId && one.format === "frames"
        ? {
            ...one,
            take: { ...one.take, rate, length: Math.round(seconds * 705_600_000) },
            held: "repeated" as const,
          }
        : one,
    ),
  };
}
