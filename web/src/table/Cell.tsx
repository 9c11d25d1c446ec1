// An output in the table: its picture, what it costs, how like its frames it is, how it stands.

import { useEffect, useState } from "react";
import { fileUrl, playedFrameUrl, type TableCell } from "../api/client";
import { scrolled } from "../api/live";
import { kilobytes, size } from "../format";
import { Mark, type Verdict } from "../ui/controls";
import { isOver } from "./rows";

const KINDS: Record<string, string> = {
  gif: "GIF",
  apng: "APNG",
  webp: "WebP",
  avif: "AVIF",
  mp4: "MP4",
  webm: "WebM",
  mov: "MOV",
  still: "still",
  sheet: "sheet",
  "png-frames": "PNGs",
  "tga-frames": "TGAs",
  "bmp-frames": "BMPs",
  "jpeg-frames": "JPEGs",
};
const PLAYS = ["gif", "apng", "webp", "avif"];
/** Milliseconds after which a picture is fetched: what only passes by while the table is scrolled is not. */
const PASSING = 120;
const VERDICTS = { pass: "fine", warn: "look", fail: "stop" } as const;

/** How it stands, in a word or two; the reasons are its title. */
function standing(cell: TableCell): { verdict: Verdict | null; word: string; why: string } {
  const why = cell.broken.join("\n");
  if (cell.job === "making") return { verdict: "busy", word: "encoding", why: "" };
  if (cell.job === "failed") return { verdict: "stop", word: "failed", why: cell.error };
  if (cell.job === "cancelled") return { verdict: "look", word: "cancelled", why: "" };
  if (cell.behind) return { verdict: "look", word: "before the last change", why: "" };
  if (cell.verdict === null) return { verdict: null, word: "no target", why };
  if (isOver(cell) && cell.most_bytes !== null)
    return { verdict: "stop", word: `over ${kilobytes(cell.most_bytes)} KB`, why };
  // The rule that it breaks first, as its figures begin.
  const word = cell.verdict === "pass" ? "passes" : (cell.broken[0]?.split(":")[0] ?? "fails");
  return { verdict: VERDICTS[cell.verdict], word, why };
}

export function Cell({ cell }: { cell: TableCell }) {
  const [looked, setLooked] = useState(false);
  const { result } = cell;
  const { verdict, word, why } = standing(cell);
  const old = cell.behind || cell.job === "making";
  return (
    <div
      className="flex min-w-0 items-center gap-2.5"
      onPointerEnter={() => setLooked(true)}
      onPointerLeave={() => setLooked(false)}
    >
      <div
        className={`h-[52px] w-[78px] shrink-0 overflow-hidden rounded-[5px] ${result?.transparent ? "chequer" : "bg-stage"}`}
      >
        {result && <Picture cell={cell} result={result} plays={looked} />}
      </div>
      <div className="flex min-w-0 flex-col text-xs">
        {result ? (
          <span className={`truncate ${old ? "text-ink-3" : "text-ink"}`}>
            <span className="figure text-[13px] font-semibold">
              {old && "≈ "}
              {size(result.bytes)}
            </span>
            {cell.most_bytes !== null && !isOver(cell) && (
              <span className="text-ink-2"> of {kilobytes(cell.most_bytes)}</span>
            )}
          </span>
        ) : (
          <span className="text-ink-2">nothing yet</span>
        )}
        {result && (
          <span className="figure truncate text-ink-2">
            {KINDS[cell.kind] ?? cell.kind} {result.width} × {result.height}
          </span>
        )}
        <span className="flex items-baseline gap-2 truncate" title={why}>
          {verdict ? <Mark verdict={verdict} word={word} /> : <span className="text-ink-2">{word}</span>}
          {typeof result?.ssim === "number" && !old && (
            <span className="figure text-ink-2" title="SSIM">
              {result.ssim.toFixed(3)}
            </span>
          )}
        </span>
      </div>
    </div>
  );
}

function Picture({
  cell,
  result,
  plays,
}: {
  cell: TableCell;
  result: NonNullable<TableCell["result"]>;
  plays: boolean;
}) {
  const shape = "h-full w-full object-contain";
  const [stays, setStays] = useState(() => !scrolled.now);
  useEffect(() => {
    const timer = setTimeout(() => setStays(true), PASSING);
    return () => clearTimeout(timer);
  }, []);
  if (!stays) return null;
  if (plays && ["mp4", "webm"].includes(cell.kind))
    return <video src={fileUrl(result)} autoPlay loop muted playsInline className={shape} />;
  const shown = plays && PLAYS.includes(cell.kind) ? fileUrl(result) : playedFrameUrl(result, 0);
  return <img src={shown} alt="" decoding="async" className={shape} />;
}
