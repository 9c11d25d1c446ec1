// How large the picture leaves, on what canvas, and how its pixels are made.

import { Link2, Link2Off } from "lucide-react";
import type { Output, ResultInfo } from "../../../api/client";
import { Button, IconButton, NumberField, Row, Select } from "../../../ui/controls";
import { cropOf } from "../../crop";
import { canBePlaced, canvasOf, placed } from "../../placing";
import { NinePoints } from "../NinePoints";
import { Facts, type PanelProps } from "../panel";

const WIDTHS = [240, 320, 400, 480, 580, 640];
const FITS = [
  { value: "contain", label: "contain: all of the picture" },
  { value: "cover", label: "cover: all of the canvas" },
  { value: "scale-down", label: "scale down: never enlarged" },
  { value: "stretch", label: "stretch: both, distorted" },
  { value: "inside", label: "inside: nothing around it" },
  { value: "place", label: "place: at any size" },
] as const;
const FILTERS = [
  { value: "auto", label: "auto: what suits the art" },
  { value: "area", label: "area: the mean of each pixel" },
  { value: "lanczos", label: "Lanczos: sharper" },
  { value: "nearest", label: "nearest: pixel art" },
] as const;

export function SizePart({ bench, result }: PanelProps) {
  const { project, output } = bench;
  const { size } = output;
  const part = cropOf(bench.recipe, output, project) ?? project;
  const [width, height] = canvasOf(size, part.width, part.height);
  // A side that is typed is what it becomes, even if that enlarges it.
  const resize = (next: Output["size"], label: string) =>
    bench.editOutput(label, (so) => ({
      ...so,
      size: next.fit === "inside" && size.fit === "inside" ? { ...next, fit: "contain" } : next,
    }));
  const locked = size.width === null || size.height === null || size.fit === "inside";
  return (
    <>
      <Row label="Size">
        <NumberField
          label="Width"
          value={width}
          min={1}
          max={4096}
          units={{ px: 1, "%": part.width / 100 }}
          className="w-[64px] text-right"
          onCommit={(next) =>
            resize({ ...size, width: next, height: locked ? null : size.height }, `Width to ${next}`)
          }
        />
        <span className="text-ink-2">×</span>
        <NumberField
          label="Height"
          value={height}
          min={1}
          max={4096}
          units={{ px: 1, "%": part.height / 100 }}
          className="w-[64px] text-right"
          onCommit={(next) =>
            resize({ ...size, width: locked ? null : size.width, height: next }, `Height to ${next}`)
          }
        />
        <IconButton
          tip={locked ? "Proportions locked" : "Proportions free"}
          aria-pressed={locked}
          className="h-[26px]!"
          onClick={() =>
            locked
              ? resize({ ...size, width, height }, "Proportions free")
              : resize({ ...size, height: null }, "Proportions locked")
          }
        >
          {locked ? <Link2 size={15} /> : <Link2Off size={15} />}
        </IconButton>
      </Row>
      <Row label="or">
        <NumberField
          label="Percent"
          value={Math.round((100 * width) / part.width)}
          min={1}
          max={1000}
          units={{ "%": 1 }}
          onCommit={(next) => {
            const across = Math.min(4096, Math.max(1, Math.round((part.width * next) / 100)));
            resize({ ...size, width: across, height: null }, `${next} % of the size`);
          }}
        />
        <span className="text-ink-2">%</span>
        <NumberField
          label="Longest side"
          value={Math.max(width, height)}
          min={1}
          max={4096}
          units={{ px: 1 }}
          className="w-[60px] text-right"
          onCommit={(next) =>
            resize(
              part.width >= part.height
                ? { ...size, width: next, height: null }
                : { ...size, width: null, height: next },
              `Longest side ${next}`,
            )
          }
        />
        <span className="text-ink-2">longest</span>
      </Row>
      <div role="group" aria-label="Usual widths" className="grid grid-cols-7 gap-1">
        {WIDTHS.map((one) => (
          <Button
            key={one}
            className={`figure h-[26px]! px-0! ${size.width === one ? "border-jay! bg-jay-soft! text-jay-deep!" : ""}`}
            aria-label={`${one} wide`}
            aria-pressed={size.width === one}
            onClick={() => resize({ ...size, width: one, height: null }, `Width to ${one}`)}
          >
            {one}
          </Button>
        ))}
        <Button
          className={`h-[26px]! px-0! ${size.width === null && size.height === null ? "border-jay! bg-jay-soft! text-jay-deep!" : ""}`}
          title="Original size"
          aria-pressed={size.width === null && size.height === null}
          onClick={() => resize({ ...size, width: null, height: null }, "Original size")}
        >
          Orig.
        </Button>
      </div>
      {size.width !== null && size.height !== null && (
        <Row label="Fit">
          <Select
            label="Fit"
            value={size.fit}
            choices={FITS}
            onChange={(fit) => resize({ ...size, fit }, `Fit: ${fit}`)}
          />
        </Row>
      )}
      {canBePlaced(size) && <OnCanvas size={size} part={part} onChange={resize} />}
      {canBePlaced(size) && <Where size={size} onChange={(at, label) => resize({ ...size, at }, label)} />}
      <Row label="Pixels">
        <Select
          label="Resampling"
          value={size.resample}
          choices={FILTERS}
          onChange={(resample) => resize({ ...size, resample }, `Pixels: ${resample}`)}
        />
      </Row>
      {result && <p className="text-xs text-ink-2">{wordsOf(size.resample, result)}</p>}
      <div className="border-t border-line pt-2.5">
        <Facts
          facts={[
            ["Output size", result ? `${result.info.width} × ${result.info.height}` : "…"],
            [
              "Alpha",
              result ? (result.info.transparent ? (output.format === "gif" ? "1 bit" : "soft") : "none") : "…",
            ],
          ]}
        />
      </div>
    </>
  );
}

/** How the pixels of a result were made, and what to mind. */
function wordsOf(asked: Output["size"]["resample"], result: ResultInfo): string {
  const uneven = result.notes.find((note) => note.startsWith("pixels are of unlike sizes"));
  if (uneven) return `▲ ${uneven.charAt(0).toUpperCase()}${uneven.slice(1)}.`;
  const by = result.scaled_by;
  if (!by) return "Not scaled: every pixel is the source's own.";
  if (by === "nearest")
    return asked === "auto" ? "Pixel art at a whole factor: nearest, unmixed." : "Whole pixels, unmixed.";
  const { enlarged } = result.info;
  if (enlarged) return `▲ Enlarged to ${Math.round(100 * enlarged)} %, in linear light.`;
  if (asked !== "auto") return "Scaled in linear light.";
  if (by === "area") return "Area, in linear light.";
  return "Lanczos, in linear light: shrinking to no less than half.";
}

/** How large the picture lies on its canvas: a share of its own size, or sides. */
function OnCanvas({
  size,
  part,
  onChange,
}: {
  size: Output["size"];
  part: { width: number; height: number };
  onChange: (size: Output["size"], label: string) => void;
}) {
  const box = placed(size, part.width, part.height);
  if (!box) return null;
  const set = (picture: Partial<NonNullable<Output["size"]["picture"]>>, label: string) =>
    onChange(
      { ...size, fit: "place", picture: { percent: null, width: null, height: null, ...picture } },
      label,
    );
  const percent = size.picture?.percent ?? Math.round((1000 * box.width) / part.width) / 10;
  return (
    <Row label="Picture">
      <NumberField
        label="Width of the picture"
        units={{ px: 1 }}
        value={box.width}
        min={1}
        max={4096}
        className="w-[52px] text-right"
        onCommit={(width) => set({ width }, `Picture ${width} wide`)}
      />
      <span className="text-ink-2">×</span>
      <NumberField
        label="Height of the picture"
        units={{ px: 1 }}
        value={box.height}
        min={1}
        max={4096}
        className="w-[52px] text-right"
        onCommit={(height) => set({ height }, `Picture ${height} high`)}
      />
      <NumberField
        label="Picture in percent"
        units={{ "%": 1 }}
        value={percent}
        min={0.1}
        max={1000}
        step={0.1}
        className="w-[52px] text-right"
        onCommit={(next) => set({ percent: next }, `Picture at ${next} %`)}
      />
      <span className="text-ink-2">%</span>
    </Row>
  );
}

type At = Output["size"]["at"];

/** Where the picture lies on a canvas of another shape: one of nine points, or by its left and top. */
function Where({ size, onChange }: { size: Output["size"]; onChange: (at: At, label: string) => void }) {
  const [left, top] = typeof size.at === "string" ? [null, null] : size.at;
  return (
    <Row label="Lies at">
      <NinePoints
        label="Place on the canvas"
        chosen={(point) => size.at === point}
        onChoose={(point) => onChange(point, `Lies ${point.replace("-", " ")}`)}
      />
      <span className="text-ink-2">or</span>
      <NumberField
        label="Left on the canvas"
        units={{ px: 1 }}
        value={left}
        min={-65_536}
        max={65_536}
        placeholder="left"
        className="w-[56px] text-right"
        onCommit={(next) => onChange([next, top ?? 0], `Lies at ${next}, ${top ?? 0}`)}
      />
      <NumberField
        label="Top on the canvas"
        units={{ px: 1 }}
        value={top}
        min={-65_536}
        max={65_536}
        placeholder="top"
        className="w-[56px] text-right"
        onCommit={(next) => onChange([left ?? 0, next], `Lies at ${left ?? 0}, ${next}`)}
      />
    </Row>
  );
}
