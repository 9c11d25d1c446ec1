// All frames on one picture: how they lie there, what its pixels hold, and what describes it.

import { count } from "../../format";
import { Checkbox, Mark, NumberField, Row, Segmented, Select, TextField } from "../../ui/controls";
import { useLayout, useLook, type Look } from "../sheet/layout";
import type { FormatView, Of, TuneProps } from "./format";
import { Fit, Figures } from "../sheet/Fit";
import { RowOrder } from "../sheet/RowOrder";
import { Anchors } from "../sheet/Anchors";

type Sheet = Of<"sheet">;

const PIXELS: Record<Sheet["pixels"], string> = {
  "8888": "8-8-8-8, every level",
  "4444": "4-4-4-4",
  "5551": "5-5-5-1, cut alpha",
  "565": "5-6-5, no alpha",
  "256": "256 colours with alpha",
  grey: "Grey with alpha",
};

const SIDES = [256, 512, 1024, 2048, 4096, 8192] as const;

export const sheet: FormatView<"sheet"> = {
  title: ({ picture }) => `${picture === "png" ? "PNG" : "WebP"} sheet`,
  tuning: ({ layout, pixels, widest }) => ({
    figure: pixels === "256" || pixels === "grey" ? (PIXELS[pixels].split(" ")[0] ?? "") : pixels,
    beside: `${layout === "even" ? "even cells" : "packed"}, within ${widest}`,
  }),
  Panel: SheetPanel,
  ending: ({ picture }) => `.${picture}`,
  alpha: ({ pixels }) => (pixels === "565" ? "none" : "soft"),
  player: () => "sheet",
};

/** What the stage shows of files that a game loads. */
export function LookRow({ choices }: { choices: readonly { value: Look; label: string }[] }) {
  const look = useLook((state) => state.look);
  const value = choices.some((one) => one.value === look) ? look : "frames";
  return (
    <Row label="Stage">
      <Segmented
        label="What the stage shows"
        value={value}
        choices={choices}
        onChange={(next) => useLook.setState({ look: next })}
      />
    </Row>
  );
}

function SheetPanel({ panel, output, tune }: TuneProps<"sheet">) {
  const { bench, result } = panel;
  const laid = useLayout(bench, result?.id);
  const spans = bench.recipe.rhythm.spans.length > 0;
  const number = (label: string, key: "margin" | "spacing" | "extrude", max: number, done: string) => (
    <label className="flex flex-col gap-0.5 text-xs text-ink-2">
      <NumberField
        label={label}
        units={{ px: 1 }}
        value={output[key]}
        min={0}
        max={max}
        onCommit={(next) => tune({ [key]: next }, `${done} ${next}`)}
      />
      {label.toLowerCase()}
    </label>
  );
  return (
    <>
      <LookRow
        choices={[
          { value: "sheet", label: "Sheet" },
          { value: "frames", label: "Frames" },
          { value: "scene", label: "Scene" },
        ]}
      />
      {laid && <Fit panel={panel} laid={laid} />}
      <Row label="Layout">
        <Segmented
          label="Layout"
          value={output.layout}
          choices={[
            { value: "even", label: "even cells" },
            { value: "packed", label: "packed", tip: "Every frame trimmed by itself, equal ones stored once" },
          ]}
          onChange={(layout) => tune({ layout }, `Layout: ${layout === "even" ? "even cells" : "packed"}`)}
        />
      </Row>
      {output.layout === "even" ? (
        <>
          <Row label="Cell">
            <Segmented
              label="Cell"
              value={output.cell}
              choices={[
                { value: "canvas", label: "canvas" },
                { value: "used", label: "what is used", tip: "What any frame uses of the canvas" },
              ]}
              onChange={(cell) => tune({ cell }, `Cell: ${cell === "canvas" ? "canvas" : "what is used"}`)}
            />
          </Row>
          <Row label="Rows">
            <Segmented
              label="Rows"
              value={output.rows}
              choices={[
                { value: "wrap", label: "wrap" },
                {
                  value: "spans",
                  label: "spans",
                  tip: spans ? "A row for each span" : "Name spans in Rhythm first: each gets a row",
                },
              ]}
              onChange={(rows) =>
                tune(
                  { rows, columns: rows === "spans" ? "longest" : "square" },
                  rows === "spans" ? "A row for each span" : "Rows wrap",
                )
              }
            />
            {output.rows === "spans" && bench.project.report.parts.length > 0 && !spans && (
              <span className="text-xs text-ink-2">name spans in Rhythm first</span>
            )}
          </Row>
          {output.rows === "spans" && laid && laid.info.rows.length > 1 && (
            <RowOrder output={output} laid={laid} tune={tune} />
          )}
          <Row label="Columns">
            <Select
              label="Columns"
              value={typeof output.columns === "number" ? "number" : output.columns}
              choices={[
                { value: "square", label: "squarest" },
                { value: "longest", label: "longest row" },
                { value: "number", label: "number" },
              ]}
              onChange={(next) =>
                tune(
                  { columns: next === "number" ? Math.max(1, laid?.info.columns ?? 8) : next },
                  next === "square"
                    ? "Squarest sheet"
                    : next === "longest"
                      ? "Longest row"
                      : "Columns by number",
                )
              }
            />
            {typeof output.columns === "number" && (
              <NumberField
                label="Number of columns"
                value={output.columns}
                min={1}
                max={20_000}
                onCommit={(columns) => tune({ columns }, count(columns, "column"))}
              />
            )}
          </Row>
        </>
      ) : (
        <Row label="Turn">
          <Segmented
            label="Turn"
            value={output.turn ? "on" : "off"}
            choices={[
              { value: "off", label: "upright" },
              { value: "on", label: "may turn by 90°" },
            ]}
            onChange={(next) => tune({ turn: next === "on" }, next === "on" ? "Turned by 90°" : "Upright")}
          />
        </Row>
      )}
      <Row label="Space">
        {number("Margin", "margin", 256, "Margin")}
        {number("Spacing", "spacing", 256, "Spacing")}
        {number("Extrude", "extrude", 64, "Extrude")}
        <Checkbox
          label="bleed"
          checked={output.bleed}
          onChange={(on) => tune({ bleed: on }, on ? "Colour bled" : "No bleed")}
        />
      </Row>
      <Row label="Sides">
        <Segmented
          label="Sides"
          value={output.sides}
          choices={[
            { value: "free", label: "free" },
            { value: "pot", label: "2ⁿ", name: "powers of two", tip: "Powers of two" },
            { value: "square", label: "square" },
            { value: "four", label: "× 4", name: "multiples of 4", tip: "Multiples of 4" },
          ]}
          onChange={(sides) => tune({ sides }, `Sides: ${sides}`)}
        />
      </Row>
      <Row label="Within">
        <Select
          label="Longest side"
          value={String(output.widest)}
          choices={[...new Set([...SIDES, output.widest])]
            .sort((a, b) => a - b)
            .map((side) => ({ value: String(side), label: String(side) }))}
          onChange={(side) => tune({ widest: Number(side) }, `Longest side ${side}`)}
        />
        <span className="text-ink-2">px a side</span>
      </Row>
      <Row label="Sheets">
        <Segmented
          label="Sheets"
          value={output.split ? "many" : "one"}
          choices={[
            { value: "one", label: "one sheet" },
            { value: "many", label: "as needed" },
          ]}
          onChange={(next) =>
            tune({ split: next === "many" }, next === "many" ? "Sheets as needed" : "One sheet")
          }
        />
      </Row>
      <Row label="Pixels">
        <Select
          label="Pixels"
          value={output.pixels}
          choices={(Object.keys(PIXELS) as Sheet["pixels"][]).map((value) => ({ value, label: PIXELS[value] }))}
          onChange={(pixels) =>
            tune(
              { pixels, over: pixels === "565" ? (output.over ?? "#ffffff") : output.over },
              `Pixels: ${PIXELS[pixels]}`,
            )
          }
        />
      </Row>
      {!["8888", "grey"].includes(output.pixels) && (
        <Row label="Dither">
          <Segmented
            label="Dither"
            value={output.dither}
            choices={[
              { value: "none", label: "none" },
              { value: "ordered", label: "ordered" },
              { value: "diffusion", label: "diffusion" },
            ]}
            onChange={(dither) => tune({ dither }, `Dither: ${dither}`)}
          />
        </Row>
      )}
      <Row label="File">
        <Segmented
          label="File"
          value={output.picture}
          choices={[
            { value: "png", label: "PNG" },
            { value: "webp", label: "WebP" },
          ]}
          onChange={(picture) =>
            tune(
              { picture, file_name: output.file_name.replace(/\.[^.]*$/, `.${picture}`) },
              `File: ${picture.toUpperCase()}`,
            )
          }
        />
        {output.picture === "png" && (
          <Checkbox
            label="smallest, slowly"
            title="Takes minutes, by Zopfli"
            checked={output.smallest}
            onChange={(on) => tune({ smallest: on }, on ? "Smallest file" : "Quick file")}
          />
        )}
      </Row>
      {laid?.info.measured && <Figures panel={panel} output={output} laid={laid} tune={tune} />}
      <Anchors panel={panel} output={output} />
      <Row label="Names">
        <TextField
          label="Names in the description"
          value={output.names}
          read={(text) => (text.trim() && text.trim().length <= 100 ? text.trim() : null)}
          why="Words with {name} for the frame's own, {span} for its span's, and # for the digits of its number."
          className="w-[150px]"
          onCommit={(names) => tune({ names }, `Named ${names}`)}
        />
      </Row>
      <Row label="Description">
        <span className="figure text-xs">JSON</span>
        {(["csv", "css"] as const).map((kind) => (
          <Checkbox
            key={kind}
            label={kind.toUpperCase()}
            checked={output[kind]}
            onChange={(on) => tune({ [kind]: on }, `${kind.toUpperCase()} ${on ? "too" : "left out"}`)}
          />
        ))}
      </Row>
      {result?.notes.map((note) => (
        <p key={note} className="text-xs text-ink-2">
          <Mark verdict="look" word="" /> {note}
        </p>
      ))}
    </>
  );
}
