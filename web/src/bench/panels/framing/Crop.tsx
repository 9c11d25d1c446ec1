// The crop in numbers, its ratio, and what trims by itself.

import { useState } from "react";
import { api, data, type TrimInfo } from "../../../api/client";
import { count, numbersInWords } from "../../../format";
import { show } from "../../../player/playhead";
import { Button, Mark, NumberField, Row, Segmented, Select, TextField } from "../../../ui/controls";
import { tell, tellError } from "../../../ui/notices";
import {
  cropOf,
  inside,
  RATIOS,
  setCrop,
  setOwnCrop,
  useCrop,
  valueOf,
  wholeOf,
  withRatio,
  type Box,
  type Ratio,
} from "../../crop";
import type { Bench } from "../../edits";
import { hasAlpha } from "../../framing";
import { arranged } from "../../order";
import { shownResult, useSelection } from "../../selection";

const NAMES: Record<Ratio, string> = {
  free: "free",
  source: "the source's",
  "1:1": "1:1",
  "4:3": "4:3",
  "3:2": "3:2",
  "2:3": "2:3",
  "16:9": "16:9",
  "9:16": "9:16",
  "4:5": "4:5",
  custom: "custom",
};
const SIDES = [
  ["left", "Left"],
  ["top", "Top"],
  ["width", "Crop across"],
  ["height", "Crop down"],
] as const;

export function CropPart({ bench }: { bench: Bench }) {
  const { project, recipe, output } = bench;
  const { open, ratio, own } = useCrop();
  const [margin, setMargin] = useState(0);
  const [looking, setLooking] = useState(false);
  const kept = cropOf(recipe, output, project);
  const box = kept ?? wholeOf(project);
  const put = (next: Box) => {
    const fits = inside(next, project);
    setCrop(bench, fits, `Crop to ${fits.width} × ${fits.height}`);
  };
  const lock = (next: Ratio, text = own) => {
    useCrop.setState({ ratio: next, own: text });
    const value = valueOf(next, text, project);
    if (value !== null) put(withRatio(box, value, project));
  };
  const trim = async (by: "alpha" | "change" | "bars", what: string) => {
    setLooking(true);
    try {
      const found = await data<TrimInfo>(
        api.GET("/api/projects/{project_id}/trim", {
          params: {
            path: { project_id: project.id },
            query: { by, margin, ...(by === "alpha" ? { tolerance: 0 } : {}) },
          },
        }),
      );
      if (!found.box) tell(`There is nothing to trim: ${what}.`);
      else {
        const [left, top, width, height] = found.box;
        setCrop(bench, { left, top, width, height }, `Trimmed to ${width} × ${height}`);
      }
    } catch (error) {
      tellError(error);
    }
    setLooking(false);
  };
  return (
    <div className="flex flex-col gap-2.5 border-b border-line pb-2.5">
      <Row label="Crop">
        <Segmented
          label="Crop"
          value={open ? "crop" : "result"}
          choices={[
            { value: "result", label: "result" },
            { value: "crop", label: "crop box", tip: "The whole frames, with the box to pull" },
          ]}
          onChange={(what) => useCrop.setState({ open: what === "crop", byKey: false })}
        />
        {kept && (
          <Button className="h-[26px]!" onClick={() => setCrop(bench, null, "No crop")}>
            None
          </Button>
        )}
      </Row>
      <Row label="Left, top">
        {SIDES.slice(0, 2).map(([side, label]) => (
          <NumberField
            key={side}
            label={label}
            value={box[side]}
            units={{ px: 1 }}
            min={0}
            max={(side === "left" ? project.width : project.height) - 1}
            className="w-[64px] text-right"
            onCommit={(next) => put({ ...box, [side]: next })}
          />
        ))}
      </Row>
      <Row label="Box">
        {SIDES.slice(2).map(([side, label]) => (
          <NumberField
            key={side}
            label={label}
            value={box[side]}
            units={{ px: 1 }}
            min={1}
            max={side === "width" ? project.width : project.height}
            className="w-[64px] text-right"
            onCommit={(next) => {
              const value = valueOf(ratio, own, project);
              const other = value === null ? box : { width: next * value, height: next / value };
              put(
                side === "width"
                  ? { ...box, width: next, height: other.height }
                  : { ...box, height: next, width: other.width },
              );
            }}
          />
        ))}
      </Row>
      <Row label="Ratio">
        <Select
          label="Ratio of the crop"
          value={ratio}
          choices={RATIOS.map((value) => ({ value, label: NAMES[value] }))}
          onChange={(next) => lock(next)}
        />
        {ratio === "custom" && (
          <TextField
            label="Custom ratio"
            value={own}
            read={(text) => (valueOf("custom", text.trim(), project) === null ? null : text.trim())}
            why="Width to height: 4:5 or 1.91."
            className="w-[64px]"
            onCommit={(text) => lock("custom", text)}
          />
        )}
      </Row>
      {recipe.outputs.length > 1 && (
        <Row label="Crop of">
          <Segmented
            label="Crop of"
            value={output.framing === null ? "all" : "this"}
            choices={[
              { value: "all", label: "all outputs" },
              { value: "this", label: "this one", tip: "A crop of its own" },
            ]}
            onChange={(whose) => setOwnCrop(bench, whose === "this")}
          />
        </Row>
      )}
      <Row label="Trim to">
        {hasAlpha(bench) && (
          <Button
            className="h-[26px]! px-2!"
            disabled={looking}
            title="What any frame shows"
            onClick={() => void trim("alpha", "the art reaches all edges")}
          >
            Art
          </Button>
        )}
        <Button
          className="h-[26px]! px-2!"
          disabled={looking}
          title="Where anything changes from frame to frame"
          onClick={() => void trim("change", "it moves everywhere, or nowhere")}
        >
          Motion
        </Button>
        <Button
          className="h-[26px]! px-2!"
          disabled={looking}
          title="Bars of one colour above, below or at the sides are cut off"
          onClick={() => void trim("bars", "there are no bars")}
        >
          No bars
        </Button>
      </Row>
      <Touching bench={bench} />
      <Row label="Margin">
        <NumberField label="Margin" value={margin} min={0} max={4096} units={{ px: 1 }} onCommit={setMargin} />
        <span className="text-ink-2">{looking ? "looking at every frame…" : "px kept when trimming"}</span>
      </Row>
    </div>
  );
}

/** Frames whose art was cut off by their own canvas: no crop brings it back. */
function Touching({ bench }: { bench: Bench }) {
  const { project, recipe } = bench;
  const positions = project.report.problems
    .filter(({ kind }) => kind === "cut")
    .flatMap((problem) => problem.positions)
    .filter((position) => !recipe.gather.left_out.includes(position));
  if (positions.length === 0) return null;
  const order = arranged(recipe.rhythm, project.frames);
  return (
    <p className="flex items-center justify-between gap-2 text-xs">
      <span>
        <Mark verdict="look" word={count(positions.length, "frame")} /> with art that reaches the edge:{" "}
        {numbersInWords(positions)}
      </span>
      <Button
        className="h-[26px]! px-2!"
        onClick={() => {
          const places = positions.map((position) => order.indexOf(position) + 1).filter(Boolean);
          useSelection.setState({ places: new Set(places), anchor: -1 });
          const index = shownResult(bench)?.places.indexOf(places[0] ?? 1) ?? -1;
          if (index >= 0) show(index);
        }}
      >
        Go to
      </Button>
    </p>
  );
}
