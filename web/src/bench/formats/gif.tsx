// GIF: colours, loss, dither, and how much may stay as it was.

import { Row, Segmented, SliderRow } from "../../ui/controls";
import type { FormatView, Of, TuneProps } from "./format";

export const gif: FormatView<"gif"> = {
  title: () => "GIF",
  tuning: ({ tuning }) => ({
    figure: String(tuning.colours),
    beside: `colours, ${tuning.loss > 0 ? `loss ${tuning.loss}` : tuning.dither === "none" ? "no dither" : `diffusion ${tuning.amount} %`}`,
  }),
  Panel: GifPanel,
  ending: () => ".gif",
  alpha: () => "bit",
  player: () => "animation",
};

function GifPanel({ panel, output }: TuneProps<"gif">) {
  const { bench, shown } = panel;
  const { tuning } = output;
  const set = (change: Partial<Of<"gif">["tuning"]>, label: string, gesture = "") =>
    bench.editOutput(
      label,
      (so) => (so.format === "gif" ? { ...so, tuning: { ...so.tuning, ...change } } : so),
      gesture,
    );
  return (
    <>
      <SliderRow
        label="Colours"
        value={tuning.colours}
        min={2}
        max={256}
        onChange={(colours, gesture) => set({ colours }, `Colours to ${colours}`, gesture)}
        onRelease={bench.release}
      />
      <Palette colours={shown?.palette ?? []} used={shown?.result.info.colours ?? 0} />
      <SliderRow
        label="Loss"
        value={tuning.loss}
        min={0}
        max={100}
        onChange={(loss, gesture) => set({ loss }, `Loss to ${loss}`, gesture)}
        onRelease={bench.release}
      />
      <Row label="Dither">
        <Segmented
          label="Dither"
          value={tuning.dither}
          choices={[
            { value: "none", label: "none" },
            { value: "diffusion", label: "diffusion", tip: "Each pixel's error is spread over its neighbours" },
          ]}
          onChange={(dither) => set({ dither }, `Dither: ${dither}`)}
        />
      </Row>
      <SliderRow
        label="Amount"
        value={tuning.amount}
        min={0}
        max={100}
        unit="%"
        disabled={tuning.dither === "none"}
        onChange={(amount, gesture) => set({ amount }, `Dither amount to ${amount} %`, gesture)}
        onRelease={bench.release}
      />
      <SliderRow
        label="Tolerance"
        value={tuning.tolerance}
        min={0}
        max={100}
        onChange={(tolerance, gesture) => set({ tolerance }, `Tolerance to ${tolerance}`, gesture)}
        onRelease={bench.release}
      />
    </>
  );
}

/** The palette the file really holds. */
function Palette({ colours, used }: { colours: readonly string[]; used: number }) {
  return (
    <div
      role="img"
      aria-label={`${used} colours in use`}
      className="flex h-[22px] overflow-hidden rounded-[5px] border border-line"
    >
      {colours.slice(0, used).map((colour, index) => (
        <span key={index} className="h-full min-w-0 grow" style={{ background: colour }} />
      ))}
    </div>
  );
}
