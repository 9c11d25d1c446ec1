// Where the real file is looked at: a page, a scene, or a stand-in; and what the places said of it.

import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import {
  api,
  data,
  type DeliveryInfo,
  type Output,
  type ProjectInfo,
  type StandInInfo,
} from "../../api/client";
import { viewOf } from "../formats/table";

export type Place = StandInInfo["name"];
export type Where = "page" | "scene" | Place;

export const useProof = create<{ open: boolean; where: Where | null }>(() => ({ open: false, where: null }));

/** The stand-ins, asked for again while they are shown; none if they were left out. */
export function useStandIns(): readonly StandInInfo[] {
  const query = useQuery({
    queryKey: ["standins"],
    queryFn: () => data<StandInInfo[]>(api.GET("/api/standins")),
    refetchInterval: 3000,
  });
  return query.data ?? [];
}

/** Whether a page plays the file by itself. */
export const pagePlays = (output: Output) =>
  ["animation", "clip", "still"].includes(viewOf(output).player(output));

/** Where an output can be proved; the first is where it most likely goes. */
export function placesFor(output: Output, standIns: readonly StandInInfo[]): Where[] {
  const there = new Set(standIns.map(({ name }) => name));
  const names: Where[] = pagePlays(output)
    ? ["page", "post"]
    : output.format === "sheet"
      ? ["scene", "effects"]
      : output.format === "frames"
        ? [...forSet(output), "scene"]
        : [];
  return names.filter((name) => name === "page" || name === "scene" || there.has(name));
}

function forSet(output: Output): Place[] {
  const all: Place[] = ["switcher", "graphics", "effects"];
  const name = output.target?.name;
  const first: Place = name === "graphics-page" ? "graphics" : name === "effect-set" ? "effects" : "switcher";
  return [first, ...all.filter((one) => one !== first)];
}

/** Whether a stand-in had something, and was found to have it no more when it was asked last. */
export const isGone = (standIn: StandInInfo | undefined, { id, state, ended }: DeliveryInfo) =>
  (state === "taken" || state === "changed") &&
  standIn?.status != null &&
  ended !== null &&
  Date.parse(standIn.asked) > Date.parse(ended) &&
  !standIn.status.holds.includes(id);

/** The last time an output was sent to a place. */
export const lastTo = (project: ProjectInfo, output: Output, place: string): DeliveryInfo | undefined =>
  project.deliveries.find((one) => one.output_id === output.id && (one.place || one.address) === place);
