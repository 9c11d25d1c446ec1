// Animated AVIF: few bytes, slow to make.

import { SliderRow } from "../../ui/controls";
import type { FormatView, TuneProps } from "./format";

export const avif: FormatView<"avif"> = {
  title: () => "AVIF",
  tuning: ({ quality, speed }) => ({ figure: String(quality), beside: `quality, speed ${speed}` }),
  Panel: AvifPanel,
  ending: () => ".avif",
  alpha: () => "soft",
  player: () => "animation",
};

function AvifPanel({ panel, output, tune }: TuneProps<"avif">) {
  return (
    <>
      <SliderRow
        label="Quality"
        value={output.quality}
        min={0}
        max={100}
        onChange={(quality, gesture) => tune({ quality }, `Quality to ${quality}`, gesture)}
        onRelease={panel.bench.release}
      />
      <SliderRow
        label="Speed"
        value={output.speed}
        min={0}
        max={10}
        onChange={(speed, gesture) => tune({ speed }, `Speed to ${speed}`, gesture)}
        onRelease={panel.bench.release}
      />
      <p className="text-ink-2">Slower speeds save bytes. A change of delay encodes an AVIF again.</p>
    </>
  );
}
