// Which frames play in what order: range, direction, thinning, and an order made by hand.

import { Fragment, useState } from "react";
import { count, numbersInWords, ordinal } from "../../../format";
import { readOrder } from "../../../typed";
import { Button, NumberField, Row, Segmented, TextField } from "../../../ui/controls";
import type { Rhythm } from "../../delays";
import {
  doubled,
  dropped,
  emptyAfter,
  inOrder,
  lostBy,
  moved,
  orderInWords,
  reversed,
  arranged,
} from "../../order";
import { chooseCount, numbersOf, placeOf, readNumbers, useCount, type Numbers } from "../../numbers";
import { ownRange, placesOf, rangeOf, setEnd, setOwnRange, setRange } from "../../range";
import { chosenPlaces, reorder, useSelection } from "../../selection";
import type { PanelProps } from "../panel";
import { BetweenPart } from "./Between";

export function OrderPart({ bench }: PanelProps) {
  const { rhythm } = bench.recipe;
  const chosen = useSelection((state) => state.places);
  const places = placesOf(bench);
  const { frames } = bench.project;
  const set = (label: string, change: Partial<Rhythm>) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: { ...recipe.rhythm, ...change } }));
  const some = chosenPlaces();
  const range = rangeOf(bench.recipe, bench.output, places);
  const none = chosen.size === 0;
  const move = (by: number) => {
    const { to } = moved(places, some, by);
    useSelection.setState({ places: new Set(to), anchor: -1 });
    reorder(bench, `${count(some.length, "frame")} moved`, (length) => moved(length, some, by).from);
  };
  const { numbers, by, ofRange } = useCount(bench);
  const everywhere = Array.from({ length: places }, (_, index) => index + 1);
  return (
    <>
      <Row label="Range">
        {(["first", "last"] as const).map((end) => {
          const at = range[end];
          const name = end === "first" ? "First frame" : "Last frame";
          const field = ofRange ? (
            <NumberField
              label={`${name}, file number`}
              value={ofRange.of(at)}
              min={ofRange.of(1)}
              max={ofRange.of(places)}
              onCommit={(number) => {
                const place = placeOf(ofRange, number, end);
                setEnd(bench, end, place, { called: `file number ${ofRange.of(place)}` });
              }}
              className="w-[60px] text-right"
            />
          ) : (
            <NumberField
              label={name}
              value={at}
              min={1}
              max={places}
              onCommit={(place) => setEnd(bench, end, place)}
              className="w-[60px] text-right"
            />
          );
          return (
            <Fragment key={end}>
              {end === "last" && <span className="text-ink-2">to</span>}
              {field}
            </Fragment>
          );
        })}
        {(range.first > 1 || range.last < places) && (
          <Button className="h-[26px]!" onClick={() => setRange(bench, 1, places)}>
            All
          </Button>
        )}
      </Row>
      {bench.recipe.outputs.length > 1 && (
        <Row label="Range of">
          <Segmented
            label="Range of"
            value={ownRange(bench.output) ? "this" : "all"}
            choices={[
              { value: "all", label: "all outputs" },
              { value: "this", label: "this one", tip: "A range of its own" },
            ]}
            onChange={(whose) => setOwnRange(bench, whose === "this")}
          />
        </Row>
      )}
      {numbers && (
        <Row label="Counted">
          <Segmented
            label="Frames are counted"
            value={by}
            choices={[
              { value: "frames", label: "frame 1, 2, 3", tip: "As frames stand in the order, from 1" },
              { value: "files", label: "file numbers", tip: "The numbers in the files’ names" },
            ]}
            onChange={(next) => chooseCount(bench.project.id, next)}
          />
        </Row>
      )}
      <Row label="Direction">
        <Segmented
          label="Direction"
          value={rhythm.direction}
          choices={[
            { value: "forward", label: "→", name: "forward", tip: "Forward" },
            { value: "reverse", label: "←", name: "reverse", tip: "Reverse" },
            {
              value: "there-and-back",
              label: "⇄",
              name: "there and back",
              tip: "There and back, neither end twice",
            },
          ]}
          onChange={(direction) => set(`Direction: ${direction}`, { direction })}
        />
      </Row>
      <Row label="Thin out">
        <span className="text-ink-2">one frame in</span>
        <NumberField
          label="One frame in"
          value={rhythm.step}
          min={1}
          max={1000}
          onCommit={(step) =>
            set(step === 1 ? "Every frame" : `Every ${ordinal(step)} frame`, {
              step,
              thinned: rhythm.step === 1 ? "same-time" : rhythm.thinned,
            })
          }
        />
        <span className="text-ink-2">
          {rhythm.step === 1 ? "all of them" : `every ${ordinal(rhythm.step)}`}
        </span>
      </Row>
      {rhythm.step > 1 && (
        <Row label="">
          <Segmented
            label="Thinned out"
            value={rhythm.thinned}
            choices={[
              { value: "same-time", label: "same time", tip: "Each frame stays for those dropped after it" },
              { value: "faster", label: `${rhythm.step} × faster`, tip: "Their time goes with them" },
            ]}
            onChange={(thinned) =>
              set(`Thinned out, ${thinned === "faster" ? "faster" : "same time"}`, { thinned })
            }
          />
        </Row>
      )}
      <BetweenPart bench={bench} />
      <div className="flex flex-col gap-2 border-t border-line pt-2.5">
        <p className="text-ink-2">
          {none ? (
            "Select frames on the strip to rearrange them."
          ) : (
            <>
              Rearrange <b className="text-ink">{count(chosen.size, "selected frame")}</b>
            </>
          )}
        </p>
        <div className="flex flex-wrap gap-1.5">
          <Button disabled={none} title="Alt ←" onClick={() => move(-1)}>
            Earlier
          </Button>
          <Button disabled={none} title="Alt →" onClick={() => move(1)}>
            Later
          </Button>
          <Button
            disabled={chosen.size < 2}
            onClick={() => reorder(bench, "Selection reversed", (length) => reversed(length, some))}
          >
            Reverse
          </Button>
          <Button
            disabled={none}
            onClick={() =>
              reorder(bench, `${count(some.length, "frame")} duplicated`, (length) => doubled(length, some))
            }
          >
            Duplicate
          </Button>
          <Button
            disabled={none}
            onClick={() =>
              reorder(bench, "Blank inserted", (length) => emptyAfter(length, some.at(-1) ?? length))
            }
          >
            Insert blank after
          </Button>
          <Button
            disabled={none || chosen.size >= places}
            onClick={() => {
              useSelection.setState({ places: new Set(), anchor: -1 });
              reorder(bench, `${count(some.length, "frame")} removed`, (length) => dropped(length, some));
            }}
          >
            Remove
          </Button>
        </div>
        <TypedOrder bench={bench} numbers={by === "files" ? numbers : null} />
        <div className="flex flex-wrap gap-1.5">
          <Button onClick={() => reorder(bench, "All reversed", (length) => reversed(length, everywhere))}>
            Reverse all
          </Button>
          {rhythm.order !== null && (
            <Button
              onClick={() =>
                bench.edit("Original order", (recipe) => ({
                  ...recipe,
                  rhythm: inOrder(
                    recipe.rhythm,
                    frames,
                    Array.from({ length: frames }, (_, index) => index + 1),
                  ),
                }))
              }
            >
              Original order
            </Button>
          )}
        </div>
      </div>
    </>
  );
}

/** The order as numbers; while another is typed, what it plays and what it would drop. */
function TypedOrder({ bench, numbers }: Pick<PanelProps, "bench"> & { numbers: Numbers | null }) {
  const { rhythm } = bench.recipe;
  const { frames } = bench.project;
  const now = arranged(rhythm, frames);
  const [typed, setTyped] = useState("");
  const read = (text: string) => {
    if (numbers) return readNumbers(text, numbers);
    const order = readOrder(text, frames);
    return order && { order, without: [] };
  };
  const next = typed === "" ? null : read(typed);
  const loses = next ? lostBy(rhythm, frames, next.order, numbers?.of) : [];
  const [low, high] = numbers ? [numbers.of(1), numbers.of(frames)] : [1, frames];
  return (
    <label className="flex flex-col gap-1">
      <span role="status" className="text-ink-2">
        {next ? (
          <>
            Plays {count(next.order.length, "frame")}; drops {loses.length > 0 ? loses.join(", ") : "none"}
            {next.without.length > 0 && `; there is no ${numbersInWords(next.without)}`}
          </>
        ) : numbers ? (
          `Order, by file numbers: ${low}-${high}, or ${low}-${high} by 2, blank`
        ) : (
          "Order, as numbers: 1-8, 12, 18-9 (0 is a blank)"
        )}
      </span>
      <TextField
        label="Order by numbers"
        value={numbers ? numbersOf(now, numbers) : orderInWords(now)}
        read={(text) => (read(text) ? text : null)}
        why={
          numbers
            ? `File numbers from ${low} to ${high}, and blank for an empty frame: ${low}-${high} by 2, blank.`
            : `Frames from 1 to ${frames}, 0 for a blank one: 1-8, 12, 18-9, or 1-${frames} by 2.`
        }
        onText={setTyped}
        onCommit={(text) => {
          const order = read(text)?.order;
          if (order)
            bench.edit("Order by numbers", (recipe) => ({
              ...recipe,
              rhythm: inOrder(recipe.rhythm, frames, order),
            }));
        }}
        className="w-full"
      />
    </label>
  );
}
