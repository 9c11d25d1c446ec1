// GIF: colours, loss, dither, and how much may stay as it was.

import { api, data } from "../../api/client";
import { Checkbox, Row, Select, SliderRow, TextField } from "../../ui/controls";
import { usePlayhead } from "../../player/playhead";
import type { Shown } from "../useShown";
import { readColours } from "../../typed";
import { tellError } from "../../ui/notices";
import { OpenPalette } from "./OpenPalette";
import type { FormatView, Of, TuneProps } from "./format";

export const gif: FormatView<"gif"> = {
  title: () => "GIF",
  tuning: ({ tuning }) => ({ figure: String(tuning.colours), beside: `colours, ${spent(tuning)}` }),
  Panel: GifPanel,
  ending: () => ".gif",
  alpha: () => "bit",
  player: () => "animation",
};

const DITHERS = [
  { value: "auto", label: "automatic" },
  { value: "none", label: "none" },
  { value: "diffusion", label: "error diffusion" },
  { value: "ordered", label: "ordered" },
  { value: "noise", label: "blue noise" },
] as const;
const PALETTES = [
  { value: "shared", label: "one for all frames" },
  { value: "frame", label: "one per frame" },
  { value: "auto", label: "per frame if it pays" },
] as const;
type Tuning = Of<"gif">["tuning"];
const MATRICES = [2, 4, 8] as const;

const labelOf = <T extends string>(choices: readonly { value: T; label: string }[], value: T): string =>
  choices.find((one) => one.value === value)?.label ?? value;

function spent({ loss, dither, amount }: Tuning): string {
  if (loss > 0) return `loss ${loss}`;
  if (dither === "none" || dither === "auto") return dither === "none" ? "no dither" : "auto dither";
  return `${dither} ${amount} %`;
}

function GifPanel({ panel, output }: TuneProps<"gif">) {
  const { bench, shown, result, behind } = panel;
  const { tuning } = output;
  const used = result?.info.dither;
  // Only what automatic chose for the settings as they are: by hand, or before the last change, it is another's.
  const chosen = tuning.dither === "auto" && !behind ? used : null;
  // Automatic and at 0 %, there would be none: the amount stays in reach.
  const dithers = tuning.dither === "auto" ? used !== "none" || tuning.amount === 0 : tuning.dither !== "none";
  const others = panel.outputs.filter(
    (one) => one.output.format === "gif" && one.output.id !== output.id && one.result && !one.behind,
  );
  const takeFrom = async (id: string) => {
    const other = others.find((one) => one.output.id === id);
    if (!other?.result) return;
    const locked = await data<string[]>(
      api.GET("/api/results/{result_id}/palette", { params: { path: { result_id: other.result.id } } }),
    );
    const colours = Math.max(2, locked.length);
    set({ palette: "shared", colours, locked }, `The palette of ${other.output.name}`);
  };
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
        min={Math.max(2, tuning.locked.length)}
        max={256}
        onChange={(colours, gesture) => set({ colours }, `Colours to ${colours}`, gesture)}
        onRelease={bench.release}
      />
      {shown && (
        <OpenPalette
          bench={bench}
          output={output}
          result={behind ? undefined : result}
          set={set}
          strip={<Palettes shown={shown} />}
        />
      )}
      <Row label="Palette">
        <Select
          label="Palette"
          value={tuning.palette}
          choices={[
            ...PALETTES,
            ...others.map(({ output: { id, name } }) => ({ value: `${OF}${id}`, label: `that of ${name}` })),
          ]}
          onChange={(next) => {
            const palette = PALETTES.find(({ value }) => value === next);
            if (palette) set({ palette: palette.value }, `Palette: ${palette.label}`);
            else takeFrom(next.slice(OF.length)).catch(tellError);
          }}
        />
      </Row>
      <SliderRow
        label="Loss"
        value={tuning.loss}
        min={0}
        max={100}
        onChange={(loss, gesture) => set({ loss }, `Loss to ${loss}`, gesture)}
        onRelease={bench.release}
      />
      <Row label="Dither">
        <span className="inline-flex gap-1">
          <Select
            label="Dither"
            value={tuning.dither}
            choices={DITHERS.map(({ value, label }) => ({
              value,
              label: value === "auto" && chosen ? `${label}: ${labelOf(DITHERS, chosen)}` : label,
            }))}
            onChange={(dither) => set({ dither }, `Dither: ${labelOf(DITHERS, dither)}`)}
          />
          {tuning.dither === "ordered" && (
            <Select
              label="Matrix"
              value={String(tuning.matrix)}
              choices={MATRICES.map((side) => ({ value: String(side), label: `${side} × ${side}` }))}
              onChange={(side) => {
                const matrix = MATRICES.find((one) => String(one) === side);
                if (matrix) set({ matrix }, `Matrix: ${side} × ${side}`);
              }}
            />
          )}
        </span>
      </Row>
      {dithers && (
        <>
          <SliderRow
            label="Amount"
            value={tuning.amount}
            min={0}
            max={100}
            unit="%"
            onChange={(amount, gesture) => set({ amount }, `Dither amount to ${amount} %`, gesture)}
            onRelease={bench.release}
          />
          <Checkbox
            label="Spare flat areas and edges"
            checked={tuning.sparing}
            onChange={(sparing) =>
              set({ sparing }, sparing ? "Dither spares flat areas and edges" : "Dither everywhere")
            }
          />
        </>
      )}
      <SliderRow
        label="Tolerance"
        value={tuning.tolerance}
        min={0}
        max={100}
        onChange={(tolerance, gesture) => set({ tolerance }, `Tolerance to ${tolerance}`, gesture)}
        onRelease={bench.release}
      />
      <Row label="Locked">
        <TextField
          label="Locked colours"
          value={tuning.locked.join(", ")}
          read={(text) => {
            const colours = readColours(text);
            return colours !== null && listed(colours).length <= Math.min(tuning.colours, 255) ? colours : null;
          }}
          why={`Colours that the palette holds exactly, each once, at most ${Math.min(tuning.colours, 255)}: #000, #262a2e.`}
          onCommit={(colours) =>
            set({ locked: listed(colours) }, colours ? `Locked: ${colours}` : "None locked")
          }
          className="w-full"
        />
      </Row>
    </>
  );
}

/** How a choice of another output's palette begins; its id follows. */
const OF = "of ";

const listed = (colours: string) => colours.split(", ").filter(Boolean);

/** The palette that the file really holds, or of several the one of the picture at the playhead. */
function Palettes({ shown }: { shown: Shown }) {
  const { palettes, result } = shown;
  const step = usePlayhead((playhead) => (palettes.length > 1 ? playhead.index : 0));
  const colours = palettes[palettes.length > 1 ? (result.at[step] ?? 0) : 0] ?? [];
  const used = result.info.colours ?? 0;
  return (
    <div
      role="img"
      aria-label={
        palettes.length > 1 ? `${used} colours in ${palettes.length} palettes` : `${used} colours in use`
      }
      className="flex h-[22px] overflow-hidden rounded-[5px] border border-line"
    >
      {colours.map((colour, index) => (
        <span key={index} className="h-full min-w-0 grow" style={{ background: colour }} />
      ))}
    </div>
  );
}
