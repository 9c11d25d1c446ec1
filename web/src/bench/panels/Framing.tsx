// How large the picture leaves, and what its soft edges lie on.

import type { Output } from "../../api/client";
import { Button, Mark, NumberField, Row, Segmented, Select, SliderRow, TextField } from "../../ui/controls";
import { cropOf } from "../crop";
import type { Bench } from "../edits";
import type { Of } from "../formats/format";
import { viewOf } from "../formats/table";
import { mayBeSoft } from "../framing";
import { CropPart } from "./CropPart";
import { Facts, Head, type PanelProps } from "./panel";

const WIDTHS = [240, 320, 400, 480, 580, 640];
const FITS = [
  { value: "contain", label: "contain: all of the picture" },
  { value: "cover", label: "cover: all of the canvas" },
  { value: "stretch", label: "stretch: both, distorted" },
  { value: "inside", label: "inside: nothing around it" },
  { value: "place", label: "place: at its own size" },
] as const;

export function FramingPanel({ bench, result }: PanelProps) {
  const { project, output } = bench;
  const { size } = output;
  const part = cropOf(bench.recipe, output, project) ?? project;
  const [width, height] = sides(size, part.width, part.height);
  // A side that is typed is what it becomes, even if that enlarges it.
  const resize = (next: Output["size"], label: string) =>
    bench.editOutput(label, (so) => ({
      ...so,
      size: next.fit === "inside" && size.fit === "inside" ? { ...next, fit: "contain" } : next,
    }));
  const soft = mayBeSoft(bench, output);
  return (
    <>
      <Head title="Framing">
        from {project.width} × {project.height}
      </Head>
      <CropPart bench={bench} />
      <Row label="Size">
        <NumberField
          label="Width"
          value={width}
          min={1}
          max={4096}
          className="w-[64px] text-right"
          onCommit={(next) => resize({ ...size, width: next, height: null }, `Width to ${next}`)}
        />
        <span className="text-ink-2">×</span>
        <NumberField
          label="Height"
          value={height}
          min={1}
          max={4096}
          className="w-[64px] text-right"
          onCommit={(next) => resize({ ...size, width: null, height: next }, `Height to ${next}`)}
        />
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
          1 : 1
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
      {size.width !== null && size.height !== null && ["contain", "cover", "place"].includes(size.fit) && (
        <Where size={size} onChange={(at, label) => resize({ ...size, at }, label)} />
      )}
      {soft ? (
        <div className="flex flex-col gap-2.5 border-t border-line pt-2.5">
          {output.format === "gif" ? (
            <OneBit bench={bench} output={output} />
          ) : (
            <Over bench={bench} output={output} />
          )}
        </div>
      ) : (
        <p className="flex items-center gap-2 text-ink-2">
          <Mark verdict="fine" word="opaque" /> no alpha to settle
        </p>
      )}
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

/** How soft edges become the one bit of alpha of a GIF. */
function OneBit({ bench, output }: { bench: Bench; output: Of<"gif"> }) {
  const { alpha } = output;
  const soften = (change: Partial<Of<"gif">["alpha"]>, label: string, gesture = "") =>
    bench.editOutput(
      label,
      (so) => (so.format === "gif" ? { ...so, alpha: { ...so.alpha, ...change } } : so),
      gesture,
    );
  return (
    <>
      <Row label="Soft edges">
        <Segmented
          label="Soft edges"
          value={alpha.edges}
          choices={[
            { value: "cutoff", label: "cut-off", tip: "A pixel is there or not" },
            {
              value: "matte",
              label: "matte",
              tip: "Edges lie over the page colour; around them it stays open",
            },
            { value: "fill", label: "fill", tip: "The page colour fills everything" },
          ]}
          onChange={(edges) => soften({ edges }, `Edges: ${edges}`)}
        />
      </Row>
      {alpha.edges === "cutoff" ? (
        <SliderRow
          label="Cut-off"
          value={alpha.cutoff}
          min={1}
          max={255}
          onChange={(cutoff, gesture) => soften({ cutoff }, `Cut-off to ${cutoff}`, gesture)}
          onRelease={bench.release}
        />
      ) : (
        <PageColour
          colour={alpha.matte}
          onChange={(matte, gesture) => soften({ matte }, `Page colour ${matte}`, gesture)}
        />
      )}
      <p className="text-xs text-ink-2">GIF alpha is one bit. Check the edges over the page colour.</p>
    </>
  );
}

/** Alpha kept, or the art laid over a colour. */
function Over({ bench, output }: { bench: Bench; output: Exclude<Output, { format: "gif" }> }) {
  const none = viewOf(output).alpha(output) === "none";
  const lay = (over: string | null, label: string, gesture = "") =>
    bench.editOutput(label, (so) => (so.format === "gif" ? so : { ...so, over }), gesture);
  return (
    <>
      <Row label="Alpha">
        <Segmented
          label="Alpha"
          value={output.over === null ? "keep" : "over"}
          choices={[
            {
              value: "keep",
              label: "keep",
              tip: none ? `${viewOf(output).title(output)} has no alpha` : undefined,
            },
            { value: "over", label: "over a colour", tip: "The page colour fills everything" },
          ]}
          onChange={(how) =>
            lay(how === "keep" ? null : "#ffffff", how === "keep" ? "Alpha kept" : "Over a colour")
          }
        />
      </Row>
      {output.over !== null && (
        <PageColour
          colour={output.over}
          onChange={(over, gesture) => lay(over, `Page colour ${over}`, gesture)}
        />
      )}
      {none && (
        <p className="text-xs text-ink-2">
          {viewOf(output).title(output)} has no alpha. WebM, MOV, APNG, WebP and PNG frames keep it.
        </p>
      )}
    </>
  );
}

function PageColour({
  colour,
  onChange,
}: {
  colour: string;
  onChange: (colour: string, gesture: string) => void;
}) {
  return (
    <Row label="Page colour">
      <input
        type="color"
        aria-label="Pick the page colour"
        value={colour}
        onChange={(event) => onChange(event.target.value, "matte-picker")}
        className="h-[26px] w-[36px] cursor-pointer rounded-[6px] border border-line bg-card p-0.5"
      />
      <TextField
        label="Page colour"
        value={colour}
        read={(text) => {
          const hex = text.trim().toLowerCase().replace(/^#?/, "#");
          return /^#[0-9a-f]{6}$/.test(hex) ? hex : null;
        }}
        why="Six hexadecimal digits, two each for red, green and blue: #262a2e."
        onCommit={(next) => onChange(next, "")}
        className="w-[92px]"
      />
    </Row>
  );
}

/** The sides that an output of a picture gets, as far as they are known: with one given the other follows. */
function sides(size: Output["size"], width: number, height: number): [number, number] {
  const down = (across: number) => Math.max(1, Math.round((height * across) / width));
  if (size.fit === "inside") {
    const scale = Math.min(1, (size.width ?? width) / width, (size.height ?? height) / height);
    return [Math.max(1, Math.round(width * scale)), Math.max(1, Math.round(height * scale))];
  }
  if (size.width !== null) return [size.width, size.height ?? down(size.width)];
  if (size.height !== null) return [Math.max(1, Math.round((width * size.height) / height)), size.height];
  return [width, height];
}

type At = Output["size"]["at"];
const POINTS = [
  ["top-left", "top", "top-right"],
  ["left", "centre", "right"],
  ["bottom-left", "bottom", "bottom-right"],
] as const;

/** Where the picture lies on a canvas of another shape: one of nine points, or by its left and top. */
function Where({ size, onChange }: { size: Output["size"]; onChange: (at: At, label: string) => void }) {
  const [left, top] = typeof size.at === "string" ? [null, null] : size.at;
  return (
    <Row label="Lies at">
      <div role="group" aria-label="Place on the canvas" className="grid grid-cols-3 gap-0.5">
        {POINTS.flat().map((point) => (
          <button
            key={point}
            type="button"
            aria-label={point.replace("-", " ")}
            aria-pressed={size.at === point}
            title={point.replace("-", " ")}
            onClick={() => onChange(point, `Lies ${point.replace("-", " ")}`)}
            className="size-[18px] rounded-[4px] border border-line bg-card hover:border-ink-3 aria-pressed:border-jay aria-pressed:bg-jay"
          />
        ))}
      </div>
      <span className="text-ink-2">or</span>
      <NumberField
        label="Left on the canvas"
        value={left}
        min={-65_536}
        max={65_536}
        placeholder="left"
        className="w-[56px] text-right"
        onCommit={(next) => onChange([next, top ?? 0], `Lies at ${next}, ${top ?? 0}`)}
      />
      <NumberField
        label="Top on the canvas"
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
