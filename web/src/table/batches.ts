// What is done to many projects at once: asked for, looked at before, followed until it is over.

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { api, data, type BatchInfo, type BatchOutlook, type BatchRequest } from "../api/client";
import { tellError } from "../ui/notices";

export type Action = BatchRequest["action"];

/** The projects that are meant, and of them the outputs of one name, or all. */
export interface Meant {
  projects: readonly string[];
  column: string;
}

const bodyOf = ({ projects, column }: Meant, action: Action): BatchRequest => ({
  projects: [...projects],
  outputs: column === "" ? null : [column],
  action,
});

/** Those that this window asked for. */
export const useBegun = create<{ ids: readonly number[] }>(() => ({ ids: [] }));

export const useBatches = () =>
  useQuery({
    queryKey: ["batches"],
    queryFn: () => data<BatchInfo[]>(api.GET("/api/batches")),
    staleTime: 0,
  });

/** Ask for something, and for what is to become of it. */
export function useBatching() {
  const queries = useQueryClient();
  const shown = async (answer: Promise<BatchInfo>): Promise<BatchInfo | null> => {
    try {
      const batch = await answer;
      useBegun.setState(({ ids }) => ({ ids: [...ids, batch.id] }));
      queries.setQueryData<BatchInfo[]>(["batches"], (known = []) => [
        batch,
        ...known.filter(({ id }) => id !== batch.id),
      ]);
      return batch;
    } catch (error) {
      tellError(error);
      return null;
    }
  };
  const of = (id: number) => ({ params: { path: { batch_id: id } } });
  return {
    begin: (meant: Meant, action: Action) =>
      shown(data<BatchInfo>(api.POST("/api/batches", { body: bodyOf(meant, action) }))),
    undo: ({ id }: BatchInfo) => shown(data<BatchInfo>(api.POST("/api/batches/{batch_id}/undo", of(id)))),
    retry: ({ id }: BatchInfo) => shown(data<BatchInfo>(api.POST("/api/batches/{batch_id}/retry", of(id)))),
    cancel: ({ id }: BatchInfo) => shown(data<BatchInfo>(api.POST("/api/batches/{batch_id}/cancel", of(id)))),
  };
}

export const zipUrl = ({ id }: BatchInfo) => `/api/batches/${id}/zip`;

/** What an action would do, before it is asked for; null while there is none. */
export const useOutlook = (meant: Meant, action: Action | null) =>
  useQuery({
    queryKey: ["outlook", meant, action],
    enabled: action !== null && meant.projects.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      data<BatchOutlook>(
        api.POST("/api/batches/look", { body: bodyOf(meant, action ?? { kind: "make" }), signal }),
      ),
  });
