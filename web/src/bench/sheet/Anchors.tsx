// The anchors of a sheet’s frames: whose is set, and where it is.

import { usePlayhead } from "../../player/playhead";
import { Button, NumberField, Row, Segmented } from "../../ui/controls";
import { anchorOf, spanOf, withAnchor } from "./anchor";
import { useAnchor } from "./layout";
import type { Of, TuneProps } from "../formats/format";

type Sheet = Of<"sheet">;

export function Anchors({ panel, output }: { panel: TuneProps<"sheet">["panel"]; output: Sheet }) {
  const { bench, result } = panel;
  const of = useAnchor((state) => state.of);
  const index = usePlayhead((state) => state.index);
  const position = result?.positions[index] ?? 1;
  const span = spanOf(bench.recipe.rhythm.spans, result?.places[index] ?? 1);
  const [x, y] = anchorOf(output, position, span);
  const put = (at: [number, number]) =>
    bench.editOutput(`Anchor ${at.join(", ")}`, (so) =>
      so.format === "sheet" ? withAnchor(so, of, position, span, at) : so,
    );
  return (
    <>
      <Row label="Anchor">
        <Segmented
          label="Anchor of"
          value={of}
          choices={[
            { value: "all", label: "all" },
            { value: "span", label: "span", tip: span ? `Of ${span}` : "The frame is in no span" },
            { value: "frame", label: "frame", tip: "Of the frame on show" },
          ]}
          onChange={(next) => useAnchor.setState({ of: next })}
        />
        <NumberField
          label="Anchor across"
          value={x}
          min={-10}
          max={10}
          step={0.001}
          className="w-[58px] text-right"
          onCommit={(next) => put([next, y])}
        />
        <NumberField
          label="Anchor down"
          value={y}
          min={-10}
          max={10}
          step={0.001}
          className="w-[58px] text-right"
          onCommit={(next) => put([x, next])}
        />
      </Row>
      {output.anchors.length > 0 && (
        <Row label="">
          <Button
            className="h-[24px]! px-2!"
            onClick={() =>
              bench.editOutput("One anchor for all", (so) => ({ ...so, anchors: [] }) as typeof so)
            }
          >
            One for all frames ({output.anchors.length} of their own)
          </Button>
        </Row>
      )}
    </>
  );
}
