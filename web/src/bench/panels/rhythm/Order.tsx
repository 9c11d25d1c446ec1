// Which frames play in what order: range, direction, thinning, and an order made by hand.

import { count } from "../../../format";
import { Button, NumberField, Row, Segmented, TextField } from "../../../ui/controls";
import type { Rhythm } from "../../delays";
import {
  doubled,
  dropped,
  emptyAfter,
  inOrder,
  moved,
  orderInWords,
  parseOrder,
  reversed,
  arranged,
} from "../../order";
import { placesOf, setEnd } from "../../range";
import { chosenPlaces, reorder, useSelection } from "../../selection";
import type { PanelProps } from "../panel";

export function OrderPart({ bench }: PanelProps) {
  const { rhythm } = bench.recipe;
  const chosen = useSelection((state) => state.places);
  const places = placesOf(bench);
  const { frames } = bench.project;
  const set = (label: string, change: Partial<Rhythm>) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: { ...recipe.rhythm, ...change } }));
  const some = chosenPlaces();
  const none = chosen.size === 0;
  const move = (by: number) => {
    const { to } = moved(places, some, by);
    useSelection.setState({ places: new Set(to), anchor: -1 });
    reorder(bench, `${count(some.length, "frame")} moved`, (length) => moved(length, some, by).from);
  };
  const everywhere = Array.from({ length: places }, (_, index) => index + 1);
  return (
    <>
      <Row label="Range">
        <NumberField
          label="First frame"
          value={rhythm.first ?? 1}
          min={1}
          max={rhythm.last ?? places}
          onCommit={(first) => setEnd(bench, "first", first)}
        />
        <span className="text-ink-2">to</span>
        <NumberField
          label="Last frame"
          value={rhythm.last ?? places}
          min={rhythm.first ?? 1}
          max={places}
          onCommit={(last) => setEnd(bench, "last", last)}
        />
        {(rhythm.first !== null || rhythm.last !== null) && (
          <Button className="h-[26px]!" onClick={() => set("All frames", { first: null, last: null })}>
            All
          </Button>
        )}
      </Row>
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
        <span className="text-ink-2">every</span>
        <NumberField
          label="Every n-th frame"
          value={rhythm.step}
          min={1}
          max={1000}
          onCommit={(step) => set(step === 1 ? "Every frame" : `Every ${step}. frame`, { step })}
        />
        <span className="text-ink-2">{rhythm.step === 1 ? "frame" : "frames, one"}</span>
      </Row>
      <div className="flex flex-col gap-2 border-t border-line pt-2.5">
        <p className="text-ink-2">
          By hand, for <b className="text-ink">{none ? "no frame" : count(chosen.size, "selected frame")}</b>
          {none && ": select some on the strip."}
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
              reorder(bench, `${count(some.length, "frame")} doubled`, (length) => doubled(length, some))
            }
          >
            Double
          </Button>
          <Button
            disabled={none}
            onClick={() =>
              reorder(bench, "Empty frame put in", (length) => emptyAfter(length, some.at(-1) ?? length))
            }
          >
            Empty after
          </Button>
          <Button
            disabled={none || chosen.size >= places}
            onClick={() => {
              useSelection.setState({ places: new Set(), anchor: -1 });
              reorder(bench, `${count(some.length, "frame")} taken out`, (length) => dropped(length, some));
            }}
          >
            Take out
          </Button>
        </div>
        <label className="flex flex-col gap-1">
          <span className="text-ink-2">Order, as numbers: 1-2-3-2, 1..18 (0 is empty)</span>
          <TextField
            label="Order by numbers"
            value={orderInWords(arranged(rhythm, frames))}
            read={(text) => (parseOrder(text, frames) ? text : null)}
            why={`Frames from 1 to ${frames}, 0 for a blank one: 1-2-3-2 or 1..18.`}
            onCommit={(text) => {
              const order = parseOrder(text, frames);
              if (order)
                bench.edit("Order by numbers", (recipe) => ({
                  ...recipe,
                  rhythm: inOrder(recipe.rhythm, frames, order),
                }));
            }}
            className="w-full"
          />
        </label>
        <div className="flex flex-wrap gap-1.5">
          <Button
            onClick={() => reorder(bench, "Order turned round", (length) => reversed(length, everywhere))}
          >
            Turn all round
          </Button>
          {rhythm.order !== null && (
            <Button
              onClick={() =>
                bench.edit("Order as gathered", (recipe) => ({
                  ...recipe,
                  rhythm: inOrder(
                    recipe.rhythm,
                    frames,
                    Array.from({ length: frames }, (_, index) => index + 1),
                  ),
                }))
              }
            >
              As gathered
            </Button>
          )}
        </div>
      </div>
    </>
  );
}
