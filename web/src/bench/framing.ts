// What an output's frames lie on.

import type { Output } from "../api/client";
import type { Bench } from "./edits";

/** Whether any frame has alpha that is to be settled or kept. */
export const hasAlpha = (bench: Pick<Bench, "project">) =>
  bench.project.frame_list.some((frame) => frame.transparent);

/** Whether an output's pictures may have alpha: their frames do, or a canvas of another shape is left open. */
export const mayBeSoft = (bench: Pick<Bench, "project">, { size }: Output) =>
  hasAlpha(bench) ||
  (size.width !== null && size.height !== null && ["contain", "scale-down", "place"].includes(size.fit));

/** The most bytes that an output may have, where there is a limit. */
export const mostBytes = (output: Output): number | null => output.target?.figures.bytes?.stop?.most ?? null;

/** The page colour that an output's edges lie over, or would. */
export function pageColour(output: Output): string {
  return output.format === "gif" ? output.alpha.matte : (output.over ?? "#ffffff");
}
