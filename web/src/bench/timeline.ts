// What plays, in time: told by a result or, where no file can be made of it, by its plan.

import type { PlanInfo, ResultInfo } from "../api/client";
import { FLICKS } from "../format";

export type Timeline = Pick<ResultInfo, "delays" | "costs" | "positions" | "places" | "blends" | "dropped">;

/** What a plan tells: no frame of it weighs anything yet. */
export function planned({ durations, shots, positions, places, dropped }: PlanInfo): Timeline {
  return {
    delays: durations.map((flicks) => (flicks * 1000) / FLICKS),
    costs: [],
    positions,
    places,
    blends: Object.fromEntries(shots.flatMap((shot, index) => (shot.includes("+") ? [[index, shot]] : []))),
    dropped,
  };
}
