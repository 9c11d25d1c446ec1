// Animated PNG: no loss; only how long is tried.

import { SliderRow } from "../../ui/controls";
import type { FormatView, TuneProps } from "./format";

export const apng: FormatView<"apng"> = {
  title: () => "APNG",
  tuning: ({ effort }) => ({ figure: "Lossless", beside: `effort ${effort}` }),
  Panel: ApngPanel,
  ending: () => ".png",
  alpha: () => "soft",
  player: () => "animation",
};

function ApngPanel({ panel, output, tune }: TuneProps<"apng">) {
  const colours = panel.result?.info.colours;
  return (
    <>
      <SliderRow
        label="Effort"
        value={output.effort}
        min={1}
        max={9}
        onChange={(effort, gesture) => tune({ effort }, `Effort to ${effort}`, gesture)}
        onRelease={panel.bench.release}
      />
      <p className="text-ink-2">
        Every pixel is as it was framed. More effort takes longer and saves bytes.
        {colours ? ` Its ${colours} colours fit a palette.` : ""}
      </p>
    </>
  );
}
