// Animated WebP: with loss or without.

import { Row, Segmented, SliderRow } from "../../ui/controls";
import { mayBeSoft } from "../framing";
import type { FormatView, TuneProps } from "./format";

export const webp: FormatView<"webp"> = {
  title: () => "WebP",
  tuning: ({ lossless, quality }) =>
    lossless ? { figure: "Lossless", beside: "" } : { figure: String(quality), beside: "quality" },
  Panel: WebpPanel,
  ending: () => ".webp",
  alpha: () => "soft",
  player: () => "animation",
};

function WebpPanel({ panel, output, tune }: TuneProps<"webp">) {
  const { bench } = panel;
  return (
    <>
      <Row label="Coding">
        <Segmented
          label="Coding"
          value={output.lossless ? "lossless" : "lossy"}
          choices={[
            { value: "lossy", label: "lossy" },
            { value: "lossless", label: "lossless", tip: "Pixels unchanged" },
          ]}
          onChange={(how) => tune({ lossless: how === "lossless" }, `Coding: ${how}`)}
        />
      </Row>
      <SliderRow
        label="Quality"
        value={output.quality}
        min={0}
        max={100}
        disabled={output.lossless}
        onChange={(quality, gesture) => tune({ quality }, `Quality to ${quality}`, gesture)}
        onRelease={bench.release}
      />
      {mayBeSoft(bench, output) && output.over === null && (
        <SliderRow
          label="Alpha quality"
          value={output.alpha_quality}
          min={0}
          max={100}
          disabled={output.lossless}
          onChange={(alpha_quality, gesture) =>
            tune({ alpha_quality }, `Alpha quality to ${alpha_quality}`, gesture)
          }
          onRelease={bench.release}
        />
      )}
      <SliderRow
        label="Effort"
        value={output.effort}
        min={0}
        max={6}
        onChange={(effort, gesture) => tune({ effort }, `Effort to ${effort}`, gesture)}
        onRelease={bench.release}
      />
    </>
  );
}
