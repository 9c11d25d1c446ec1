// How like its frames the output's own file is, and what stands out.

import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { show } from "../player/playhead";
import { useView } from "./view";
import { api, data, type LikenessInfo, type ResultInfo } from "../api/client";

/** Of a result; undefined until it is measured, and where nothing is. */
export function useLikeness(result: ResultInfo | undefined): LikenessInfo | undefined {
  const query = useQuery({
    queryKey: ["likeness", result?.id, result?.key],
    queryFn: ({ signal }) =>
      data<LikenessInfo>(
        api.GET("/api/results/{result_id}/likeness", {
          params: { path: { result_id: result?.id ?? 0 }, query: { key: result?.key } },
          signal,
        }),
      ),
    enabled: result !== undefined && result.info.format !== "sheet",
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  return query.data;
}

/** What the bars of the strip tell. */
export const useBars = create<{ by: "bytes" | "likeness" }>(() => ({ by: "bytes" }));

/** What is lost in each of so many steps, in ten thousandths: where not all were looked at as in the one looked at before. */
export function lostBySteps({ steps, parts }: Pick<LikenessInfo, "steps" | "parts">, count: number): number[] {
  const lost: number[] = [];
  for (let step = 0, at = -1; step < count; step += 1) {
    if (steps[at + 1] === step) at += 1;
    const part = parts[Math.max(at, 0)];
    lost.push(part?.ssim == null ? 0 : (1 - part.ssim) * 1e4);
  }
  return lost;
}

type StandsOut = NonNullable<LikenessInfo["stands_out"]>;

/** Show where something stands out. */
export function goTo({ at, place }: StandsOut): void {
  show(at);
  useView.setState({ mark: place ? { step: at, place: [place[0], place[1]] } : null });
}

const ROWS = ["top", "middle", "bottom"];
const COLUMNS = ["left", "centre", "right"];

/** Where a tile lies, in ninths of the picture. */
export function placeWords(
  [left, top]: readonly [number, number],
  { width, height }: { width: number; height: number },
): string {
  const third = (at: number, side: number) => Math.min(2, Math.floor((3 * (at + 16)) / Math.max(side, 1)));
  const [row, column] = [ROWS[third(top, height)] ?? "", COLUMNS[third(left, width)] ?? ""];
  return row === "middle" && column === "centre" ? "in the middle" : `${row} ${column}`;
}

/** What stands out, in words: "bands, top left, frames 9–14". */
export function standsOutWords(out: StandsOut, sides: { width: number; height: number }): string {
  const frames = out.first === out.last ? `frame ${out.first + 1}` : `frames ${out.first + 1}–${out.last + 1}`;
  const place = out.place ? `, ${placeWords([out.place[0], out.place[1]], sides)}` : "";
  return `${out.blemish}${place}, ${frames}`;
}
