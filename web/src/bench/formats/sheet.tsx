// All frames on one picture: how they lie there, what its pixels hold, and what describes it.

import { ArrowDown, ArrowUp } from "lucide-react";
import { count, size } from "../../format";
import { usePlayhead } from "../../player/playhead";
import {
  Button,
  Checkbox,
  IconButton,
  Mark,
  NumberField,
  Row,
  Segmented,
  Select,
  TextField,
} from "../../ui/controls";
import { applyRemedy, wordsOf } from "../remedy";
import { anchorOf, spanOf, withAnchor } from "../sheet/anchor";
import { useAnchor, useLayout, useLook, type LaidOut, type Look } from "../sheet/layout";
import { Facts } from "../panels/panel";
import type { FormatView, Of, TuneProps } from "./format";

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
            title="Tries for minutes, by Zopfli"
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

/** Whether all frames fit, and what would make them. */
function Fit({ panel, laid: { info, stale } }: { panel: TuneProps<"sheet">["panel"]; laid: LaidOut }) {
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

function Figures({
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

/** The rows in an order made by hand. */
function RowOrder({
  output,
  laid: { info },
  tune,
}: {
  output: Sheet;
  laid: LaidOut;
  tune: TuneProps<"sheet">["tune"];
}) {
  const names = info.rows.flatMap(({ name }) => (name === null ? [] : [name]));
  const move = (at: number, by: number) => {
    const order = [...names];
    const [moved] = order.splice(at, 1);
    if (moved === undefined) return;
    order.splice(at + by, 0, moved);
    tune({ row_order: order }, `Row ${moved} moved`);
  };
  return (
    <details className="rounded-[8px] border border-line px-2.5 py-1.5">
      <summary className="cursor-pointer text-ink-2">
        Order of {count(names.length, "row")}
        {output.row_order.length > 0 && (
          <Button className="ml-2 h-[22px]! px-2!" onClick={() => tune({ row_order: [] }, "Playback order")}>
            As played
          </Button>
        )}
      </summary>
      <ol aria-label="Rows" className="mt-1 flex flex-col">
        {names.map((name, at) => (
          <li key={name} className="flex items-center gap-1">
            <span className="min-w-0 grow truncate">{name}</span>
            <span className="figure text-xs text-ink-2">{info.rows[at]?.count}</span>
            <IconButton tip="Up" aria-label={`Row ${name} up`} disabled={at === 0} onClick={() => move(at, -1)}>
              <ArrowUp size={13} />
            </IconButton>
            <IconButton
              tip="Down"
              aria-label={`Row ${name} down`}
              disabled={at === names.length - 1}
              onClick={() => move(at, 1)}
            >
              <ArrowDown size={13} />
            </IconButton>
          </li>
        ))}
      </ol>
    </details>
  );
}

/** Whose anchor is set on the stage, and where it is. */
function Anchors({ panel, output }: { panel: TuneProps<"sheet">["panel"]; output: Sheet }) {
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
