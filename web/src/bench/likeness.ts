// How like its frames the output's own file is, and what stands out.

import { useQuery } from "@tanstack/react-query";
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

type StandsOut = NonNullable<LikenessInfo["stands_out"]>;

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
