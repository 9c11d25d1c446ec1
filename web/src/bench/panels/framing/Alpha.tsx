// What soft edges lie on, and how a rim along them goes.

import { Pipette } from "lucide-react";
import { useEffect } from "react";
import type { Output } from "../../../api/client";
import { readColour } from "../../../typed";
import { IconButton, Mark, Row, Segmented, Select, SliderRow, TextField } from "../../../ui/controls";
import type { Bench } from "../../edits";
import type { Of } from "../../formats/format";
import { viewOf } from "../../formats/table";
import { hasAlpha, mayBeSoft } from "../../framing";
import { usePick } from "../../pick";
import { setView, useView } from "../../view";
import type { PanelProps } from "../panel";

export function AlphaPart({ bench }: PanelProps) {
  const { output } = bench;
  if (!mayBeSoft(bench, output))
    return (
      <p className="flex items-center gap-2 text-ink-2">
        <Mark verdict="fine" word="opaque" /> no alpha to settle
      </p>
    );
  return (
    <>
      {output.format === "gif" ? (
        <OneBit bench={bench} output={output} />
      ) : (
        <Over bench={bench} output={output} />
      )}
      {hasAlpha(bench) && <Rims bench={bench} />}
      <Looks />
    </>
  );
}

/** What frames bring along in their soft edges, and how it goes. */
function Rims({ bench }: { bench: Bench }) {
  const { gather, framing } = bench.recipe;
  const takeOut = (over: string | null, label: string, gesture = "") =>
    bench.edit(label, (recipe) => ({ ...recipe, gather: { ...recipe.gather, over } }), gesture);
  const frame = (change: Partial<typeof framing>, label: string, gesture = "") =>
    bench.edit(label, (recipe) => ({ ...recipe, framing: { ...recipe.framing, ...change } }), gesture);
  const of =
    gather.over === null ? "none" : ({ "#000000": "black", "#ffffff": "white" }[gather.over] ?? "colour");
  return (
    <div className="flex flex-col gap-2.5 border-t border-line pt-2.5">
      <Row label="Take out">
        <Select
          label="Take out of soft edges"
          value={of}
          choices={[
            { value: "none", label: "nothing" },
            { value: "black", label: "black: premultiplied" },
            { value: "white", label: "white" },
            { value: "colour", label: "a colour" },
          ]}
          onChange={(next) => {
            const over: string | null =
              { none: null, black: "#000000", white: "#ffffff", colour: "#808080" }[next] ?? null;
            takeOut(over, over === null ? "Edges as they came" : `${over} out of the edges`);
          }}
        />
      </Row>
      {of === "colour" && (
        <PageColour
          label="Edge colour"
          colour={gather.over ?? "#808080"}
          onChange={(over, gesture) => takeOut(over, `${over} out of the edges`, gesture)}
        />
      )}
      <SliderRow
        label="Choke"
        value={framing.choke}
        min={0}
        max={4}
        step={0.1}
        unit="px"
        onChange={(choke, gesture) => frame({ choke }, `Choke by ${choke} px`, gesture)}
        onRelease={bench.release}
      />
      <Row label="Clear pixels">
        <Segmented
          label="Under clear pixels"
          value={framing.bleed ? "bleed" : "black"}
          choices={[
            { value: "black", label: "black" },
            {
              value: "bleed",
              label: "bleed",
              tip: "The art's colours spread under clear pixels: no rim where they are filtered",
            },
          ]}
          onChange={(how) => frame({ bleed: how === "bleed" }, how === "bleed" ? "Colour bled" : "No bleed")}
        />
      </Row>
    </div>
  );
}

/** Views in which edges are judged. */
function Looks() {
  const view = useView((state) => state.view);
  useEffect(
    () => () => {
      if (["alpha", "backdrops"].includes(useView.getState().view)) setView("result");
    },
    [],
  );
  return (
    <Row label="Look at">
      <Segmented
        label="Look at edges"
        value={view === "alpha" || view === "backdrops" ? view : "result"}
        choices={[
          { value: "result", label: "result" },
          { value: "alpha", label: "alpha", tip: "White is opaque, black is clear" },
          {
            value: "backdrops",
            label: "3 backdrops",
            tip: "Over black, white and the page colour at once",
          },
        ]}
        onChange={setView}
      />
    </Row>
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
            { value: "cutoff", label: "cut", tip: "Cut off: a pixel is there or not" },
            { value: "dither", label: "dither", tip: "Soft edges become a dot pattern" },
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
        alpha.edges !== "dither" && (
          <PageColour
            colour={alpha.matte}
            onChange={(matte, gesture) => soften({ matte }, `Page colour ${matte}`, gesture)}
          />
        )
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
  label = "Page colour",
  colour,
  onChange,
}: {
  label?: string;
  colour: string;
  onChange: (colour: string, gesture: string) => void;
}) {
  const taker = usePick((state) => state.taker);
  useEffect(() => () => usePick.setState({ taker: null }), []);
  return (
    <Row label={label}>
      <input
        type="color"
        aria-label={`Pick the ${label.toLowerCase()}`}
        value={colour}
        onChange={(event) => onChange(event.target.value, "matte-picker")}
        className="h-[26px] w-[36px] cursor-pointer rounded-[6px] border border-line bg-card p-0.5"
      />
      <TextField
        label={label}
        value={colour}
        read={readColour}
        why="Hexadecimal digits for red, green and blue: #262a2e, or #f80 for #ff8800."
        onCommit={(next) => onChange(next, "")}
        className="w-[84px]"
      />
      <IconButton
        tip={taker ? "Click a colour in the picture" : "Take it from the picture"}
        aria-pressed={taker !== null}
        className="h-[26px]!"
        onClick={() => usePick.setState({ taker: taker ? null : (next: string) => onChange(next, "") })}
      >
        <Pipette size={15} />
      </IconButton>
    </Row>
  );
}
