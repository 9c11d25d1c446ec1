// Frames lined up on one of them: found in one action, moved by hand, and no edge left open.

import { useEffect, useRef, useState } from "react";
import { api, data, type FoundMove } from "../../../api/client";
import { count, numbersInWords } from "../../../format";
import { usePlayhead } from "../../../player/playhead";
import { Button, Mark, NumberField, Row, Segmented } from "../../../ui/controls";
import { tellError } from "../../../ui/notices";
import { cropOf, inside, wholeOf, type Box } from "../../crop";
import type { Bench } from "../../edits";
import {
  moveOf,
  setMoves,
  STILL,
  useFindSteady,
  useLineUp,
  useSteady,
  withMoves,
  type LineUp,
  type Move,
} from "../../lineUp";
import type { PanelProps } from "../panel";

const AT_ONCE = 8;
const BOX = [
  ["left", "Subject left"],
  ["top", "Subject top"],
  ["width", "Subject across"],
  ["height", "Subject down"],
] as const;

export function LineUpPart({ bench, result }: PanelProps) {
  const { project, recipe } = bench;
  const { line_up: lineUp } = recipe.framing;
  const { look, free, anchor, box } = useLineUp();
  const index = usePlayhead((state) => state.index);
  const here = result?.positions[index] ?? 0;
  const find = useFinding(bench);
  const of = `${project.id} ${project.frame_set}`;
  useEffect(() => {
    if (useLineUp.getState().of !== of)
      useLineUp.setState({ of, look: "result", anchor: lineUp?.anchor ?? 1, box: null });
  }, [of, lineUp?.anchor]);
  return (
    <>
      <Row label="Stage">
        <Segmented
          label="Line-up on the stage"
          value={look}
          choices={[
            { value: "result", label: "result" },
            { value: "difference", label: "difference", tip: "Dark where the frame lies on the anchor" },
            { value: "through", label: "both", tip: "The anchor shows through" },
          ]}
          onChange={(next) => useLineUp.setState({ look: next })}
        />
      </Row>
      <Row label="Anchor">
        <NumberField
          label="Anchor frame"
          value={anchor}
          min={1}
          max={project.frames}
          onCommit={(next) => useLineUp.setState({ anchor: next })}
        />
        <Button
          className="h-[26px]! px-2!"
          disabled={here < 1}
          onClick={() => useLineUp.setState({ anchor: here })}
        >
          This frame
        </Button>
      </Row>
      <Row label="Change">
        <Segmented
          label="What may be changed"
          value={free}
          choices={[
            { value: "shift", label: "place" },
            { value: "turn", label: "+ angle" },
            { value: "scale", label: "+ size" },
          ]}
          onChange={(next) => useLineUp.setState({ free: next })}
        />
      </Row>
      <Row label="Subject">
        <Segmented
          label="Subject"
          value={box ? "box" : "whole"}
          choices={[
            { value: "whole", label: "whole frame" },
            { value: "box", label: "box", tip: "Only what the anchor shows in a box" },
          ]}
          onChange={(what) =>
            useLineUp.setState(({ look: now }) =>
              what === "box"
                ? { box: middleOf(project), look: now === "result" ? "through" : now }
                : { box: null },
            )
          }
        />
      </Row>
      {box && (
        <div className="grid grid-cols-4 gap-1.5">
          {BOX.map(([side, label]) => (
            <NumberField
              key={side}
              label={label}
              value={box[side]}
              units={{ px: 1 }}
              min={side === "left" || side === "top" ? 0 : 8}
              max={side === "left" || side === "width" ? project.width : project.height}
              className="w-full text-right"
              onCommit={(next) => useLineUp.setState({ box: inside({ ...box, [side]: next }, project) })}
            />
          ))}
        </div>
      )}
      <div className="flex items-center gap-2">
        {find.done === null ? (
          <Button look="strong" onClick={() => void find.start()}>
            Line up
          </Button>
        ) : (
          <>
            <Button onClick={find.stop}>Cancel</Button>
            <span role="status" className="figure text-ink-2">
              {find.done} of {find.all}
            </span>
          </>
        )}
        {lineUp && find.done === null && (
          <Button
            onClick={() =>
              bench.edit("Not lined up", (now) => ({ ...now, framing: { ...now.framing, line_up: null } }))
            }
          >
            None
          </Button>
        )}
      </div>
      {find.left.length > 0 && (
        <p className="text-xs">
          <Mark verdict="look" word={count(find.left.length, "frame left")} /> nothing in{" "}
          {numbersInWords(find.left)} to line up on; moved by hand they can still be.
        </p>
      )}
      {lineUp && <Moved bench={bench} lineUp={lineUp} position={here} />}
      {lineUp && <Edges bench={bench} lineUp={lineUp} />}
    </>
  );
}

const middleOf = ({ width, height }: { width: number; height: number }): Box =>
  inside({ left: width / 4, top: height / 4, width: width / 2, height: height / 2 }, { width, height });

/** Moves found a few frames at a time, so that it is seen how far it is and can be stopped. */
function useFinding(bench: Bench) {
  const { project, recipe } = bench;
  const [done, setDone] = useState<number | null>(null);
  const [left, setLeft] = useState<readonly number[]>([]);
  const way = useRef(new AbortController());
  const used = Array.from({ length: project.frames }, (_, at) => at + 1).filter(
    (position) => !recipe.gather.left_out.includes(position),
  );
  const start = async () => {
    const { anchor, free, box } = useLineUp.getState();
    way.current = new AbortController();
    const { signal } = way.current;
    setDone(0);
    setLeft([]);
    const found: FoundMove[] = [];
    try {
      for (let begin = 0; begin < used.length; begin += AT_ONCE) {
        const positions = used.slice(begin, begin + AT_ONCE);
        found.push(
          ...(await data<FoundMove[]>(
            api.POST("/api/projects/{project_id}/moves", {
              params: { path: { project_id: project.id } },
              signal,
              body: {
                anchor,
                positions,
                free,
                box: box && [box.left, box.top, box.width, box.height],
              },
            }),
          )),
        );
        setDone(begin + positions.length);
      }
      const moves = Object.fromEntries(found.map(({ position, move }) => [position, move ?? STILL]));
      bench.edit(`Lined up on frame ${anchor}`, (now) => ({
        ...now,
        framing: {
          ...now.framing,
          line_up: withMoves(
            {
              anchor,
              moves: {},
              drawn_on: [project.width, project.height],
              cover: now.framing.line_up?.cover ?? "enlarge",
            },
            moves,
          ),
        },
      }));
      setLeft(found.filter(({ move }) => move === null).map(({ position }) => position));
    } catch (error) {
      if (!signal.aborted) tellError(error);
    }
    setDone(null);
  };
  const stop = () => {
    way.current.abort();
  };
  return { start, stop, done, all: used.length, left };
}

/** The move of the frame that is shown, by numbers. */
function Moved({ bench, lineUp, position }: { bench: Bench; lineUp: LineUp; position: number }) {
  const move = moveOf(lineUp, position);
  const field = (key: keyof Move, label: string, min: number, max: number, step: number) => (
    <label className="flex flex-col gap-0.5 text-xs text-ink-2">
      {label}
      <NumberField
        label={`Moved ${label}`}
        units={key === "scale" ? { "%": 1 } : key === "turn" ? { "°": 1 } : { px: 1 }}
        value={key === "scale" ? Math.round(move.scale * 1e5) / 1e3 : move[key]}
        min={min}
        max={max}
        step={step}
        className="w-full text-right"
        onCommit={(value) =>
          setMoves(
            bench,
            { [position]: { ...move, [key]: key === "scale" ? value / 100 : value } },
            `Frame ${position} moved`,
          )
        }
      />
    </label>
  );
  if (position < 1) return null;
  return (
    <fieldset className="border-t border-line pt-2">
      <legend className="sr-only">The move of frame {position}</legend>
      <p className="mb-1">
        <span className="text-ink-2">Frame {position} is moved by</span>
      </p>
      <div className="grid grid-cols-4 gap-1.5">
        {field("x", "right", -65_536, 65_536, 0.001)}
        {field("y", "down", -65_536, 65_536, 0.001)}
        {field("turn", "angle °", -360, 360, 0.0001)}
        {field("scale", "size %", 10, 1000, 0.001)}
      </div>
    </fieldset>
  );
}

/** What becomes of what lies outside moved frames. */
function Edges({ bench, lineUp }: { bench: Bench; lineUp: LineUp }) {
  const steady = useSteady(bench);
  const find = useFindSteady(bench);
  const { project, recipe, output } = bench;
  const crop = cropOf(recipe, output, project) ?? wholeOf(project);
  const common = steady?.common ?? null;
  const cropped =
    common !== null &&
    crop.left >= common[0] &&
    crop.top >= common[1] &&
    crop.left + crop.width <= common[0] + common[2] &&
    crop.top + crop.height <= common[1] + common[3];
  const percent = steady?.enlarged ? ((steady.enlarged - 1) * 100).toFixed(1) : null;
  const how = lineUp.cover === "enlarge" ? "enlarge" : cropped ? "crop" : "open";
  const put = async (next: "open" | "enlarge" | "crop") => {
    // It may be asked for while it is still measured.
    const found = await find().catch(tellError);
    if (!found || (next === "crop" && !found.common)) return;
    const by = (((found.enlarged ?? 1) - 1) * 100).toFixed(1);
    bench.edit(
      { open: "Edges open", enlarge: `Enlarged by ${by} %`, crop: "Cropped to what all show" }[next],
      (now) => ({
        ...now,
        framing: {
          ...now.framing,
          line_up: { ...lineUp, cover: next === "enlarge" ? "enlarge" : "open" },
          ...(next === "crop"
            ? { crop: found.common, drawn_on: [project.width, project.height] as [number, number] }
            : how === "crop"
              ? { crop: null, drawn_on: null }
              : {}),
        },
      }),
    );
  };
  return (
    <>
      <Row label="Edges">
        <Segmented
          label="Edges"
          value={how}
          choices={[
            { value: "enlarge", label: "enlarge", tip: "All, by the least that hides every edge" },
            { value: "crop", label: "crop", tip: "To what every frame shows" },
            { value: "open", label: "open" },
          ]}
          onChange={(next) => void put(next)}
        />
      </Row>
      <p className="text-xs text-ink-2">
        {!steady || steady.stale
          ? "Measuring what all frames show…"
          : !common || percent === null
            ? "▲ The frames have too little in common: leave the edges open, or line up on another frame."
            : `All frames show ${common[2]} × ${common[3]}; enlarging by ${percent} % hides the edges.`}
      </p>
    </>
  );
}
