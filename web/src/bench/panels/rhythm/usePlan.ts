// What an output would play under a recipe that is not the project's yet.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type PlanInfo, type Recipe } from "../../../api/client";
import type { Bench } from "../../edits";

/** `exactly`: nothing is told until it is this one's; otherwise the one before stays until then. */
export function usePlan(bench: Bench, recipe: Recipe | null, exactly = false): PlanInfo | undefined {
  const query = useQuery({
    queryKey: ["plan", bench.project.id, bench.output.id, recipe],
    queryFn: () =>
      data<PlanInfo>(
        api.POST("/api/projects/{project_id}/plan", {
          params: { path: { project_id: bench.project.id } },
          body: { recipe: recipe ?? bench.recipe, output_id: bench.output.id },
        }),
      ),
    enabled: recipe !== null,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  return recipe === null || (exactly && query.isPlaceholderData) ? undefined : query.data;
}
