// Pictures made between frames, in the same time.

import { count } from "../../../format";
import { NumberField, Row, Segmented } from "../../../ui/controls";
import { useCompare } from "../../between";
import type { Bench } from "../../edits";
import { chosenPlaces, useSelection } from "../../selection";

export function BetweenPart({ bench }: { bench: Bench }) {
  const { between } = bench.recipe.rhythm;
  const compare = useCompare((state) => state.open);
  const chosen = useSelection((state) => state.places);
  const set = (label: string, next: typeof between) =>
    bench.edit(label, (recipe) => ({ ...recipe, rhythm: { ...recipe.rhythm, between: next } }));
  const after = between?.after ?? null;
  return (
    <div className="flex flex-col gap-2.5 border-t border-line pt-2.5">
      <Row label="Between">
        <NumberField
          label="In-betweens"
          value={between?.count ?? 0}
          min={0}
          max={16}
          onCommit={(next) =>
            set(
              next === 0 ? "No in-betweens" : count(next, "in-between"),
              next === 0 ? null : { by: between?.by ?? "motion", after, count: next },
            )
          }
        />
        <span className="text-ink-2">made between two</span>
      </Row>
      {between && (
        <>
          <Row label="Made by">
            <Segmented
              label="In-betweens made by"
              value={between.by}
              choices={[
                { value: "motion", label: "motion", tip: "What moves is part of the way" },
                { value: "blend", label: "blend", tip: "Both show through each other" },
              ]}
              onChange={(by) => set(`In-betweens by ${by}`, { ...between, by })}
            />
          </Row>
          <Row label="After">
            <Segmented
              label="In-betweens after"
              value={after ? "some" : "all"}
              choices={[
                { value: "all", label: "every frame" },
                {
                  value: "some",
                  label: after ? count(after.length, "frame") : "selected",
                  tip: "After the frames that are selected on the strip",
                },
              ]}
              onChange={(which) => {
                if (which === "all") set("In-betweens after every frame", { ...between, after: null });
                else if (chosen.size > 0)
                  set(`In-betweens after ${count(chosen.size, "frame")}`, {
                    ...between,
                    after: chosenPlaces(),
                  });
              }}
            />
          </Row>
          <p className="text-xs text-ink-2">In the same time: the rate goes up as they are put in.</p>
        </>
      )}
      <Row label="Stage">
        <Segmented
          label="In-betweens on the stage"
          value={compare ? "compare" : "result"}
          choices={[
            { value: "result", label: "result" },
            {
              value: "compare",
              label: "compare",
              tip: "A blend beside what moves, for the frame that is shown",
            },
          ]}
          onChange={(next) => useCompare.setState({ open: next === "compare" })}
        />
      </Row>
    </div>
  );
}
