// Whether all frames fit on their sheets, what would make them, and what the sheets weigh.

import { count, size } from "../../format";
import { usePlayhead } from "../../player/playhead";
import { Button, Checkbox, Mark } from "../../ui/controls";
import { applyRemedy, wordsOf } from "../remedy";
import { spanOf } from "./anchor";
import { type LaidOut } from "./layout";
import { Facts } from "../panels/panel";
import type { Of, TuneProps } from "../formats/format";

type Sheet = Of<"sheet">;

/** Whether all frames fit, and what would make them. */
export function Fit({ panel, laid: { info, stale } }: { panel: TuneProps<"sheet">["panel"]; laid: LaidOut }) {
  const { bench } = panel;
  if (!info.measured) return null;
  const frames = info.positions.length;
  const [width, height] = info.sheets[0] ?? [0, 0];
  const over = info.off.length;
  return (
    <div className={`rounded-[10px] bg-well px-3 py-2.5 ${stale ? "opacity-60" : ""}`} aria-busy={stale}>
      <p role="status" aria-label="Sheet" className="flex flex-wrap items-baseline justify-between gap-x-2">
        <span>
          <span className="figure text-lg font-semibold">
            {width} × {height}
          </span>{" "}
          <span className="text-ink-2">
            {info.sheets.length > 1 ? `and ${info.sheets.length - 1} more` : `of ${info.most}`}
          </span>
        </span>
        {over > 0 ? (
          <Mark verdict="stop" word={`${over} of ${frames} frames run off`} />
        ) : (
          <Mark verdict="fine" word={`all ${frames} fit`} />
        )}
      </p>
      {over > 0 && (
        <div className="mt-2 flex flex-wrap gap-1.5">
          {info.remedies.map((remedy) => (
            <Button key={remedy.text} className="h-[26px]! px-2!" onClick={() => applyRemedy(bench, remedy)}>
              {wordsOf(remedy)}
            </Button>
          ))}
        </div>
      )}
    </div>
  );
}

export function Figures({
  panel,
  output,
  laid: { info, stale },
  tune,
}: {
  panel: TuneProps<"sheet">["panel"];
  output: Sheet;
  laid: LaidOut;
  tune: TuneProps<"sheet">["tune"];
}) {
  const { result, behind } = panel;
  const index = usePlayhead((state) => state.index);
  const item = info.of_step[Math.min(index, info.of_step.length - 1)] ?? 0;
  const span = spanOf(panel.bench.recipe.rhythm.spans, result?.places[index] ?? 0);
  return (
    <div className={stale ? "opacity-60" : ""}>
      <Facts
        facts={[
          [
            "Texture",
            <span key="texture">
              {size(info.texture_bytes)}{" "}
              <Checkbox
                label="mip levels"
                checked={output.mip_levels}
                onChange={(on) => tune({ mip_levels: on }, on ? "With mip levels" : "Without mip levels")}
              />
            </span>,
          ],
          [
            "File",
            result && !behind
              ? `${size(result.info.picture_bytes ?? 0)}, described in ${size(result.info.bytes - (result.info.picture_bytes ?? 0))}`
              : "…",
          ],
          [
            "Unused",
            `${Math.round(info.unused * 100)} %${info.empty > 0 ? `, ${count(info.empty, "empty cell")}` : ""}`,
          ],
          ["Playing", `${span ? `${span}, ` : ""}cell ${item + 1} of ${info.positions.length}`],
        ]}
      />
    </div>
  );
}
