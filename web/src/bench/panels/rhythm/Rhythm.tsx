// Order and time, in five parts: the pace of all, single delays, the order, the loop's closing, named spans.

import { create } from "zustand";
import { Mark, Segmented } from "../../../ui/controls";
import { Head, type PanelProps } from "../panel";
import { DelaysPart } from "./Delays";
import { OrderPart } from "./Order";
import { PacePart } from "./Pace";
import { SeamPart } from "./Seam";
import { SpansPart } from "./Spans";

export type RhythmPart = "pace" | "delays" | "order" | "seam" | "spans";

export const useRhythmPart = create<{ part: RhythmPart }>(() => ({ part: "pace" }));

export function RhythmPanel(props: PanelProps) {
  const part = useRhythmPart((state) => state.part);
  const scaled = props.result?.notes.find((note) => note.startsWith("custom delays add up"));
  return (
    <>
      <Head title="Rhythm">{props.behind ? "encoding" : "as the file plays"}</Head>
      <Segmented
        label="Part of the rhythm"
        value={part}
        choices={[
          { value: "pace", label: "Pace" },
          { value: "delays", label: "Delays" },
          { value: "order", label: "Order" },
          { value: "seam", label: "Seam" },
          { value: "spans", label: "Spans" },
        ]}
        onChange={(next) => useRhythmPart.setState({ part: next })}
      />
      {scaled && (
        <p role="status" aria-label="Custom delays">
          <Mark verdict="look" word="Custom delays scaled" />
          <span className="block text-xs text-ink-2">{scaled}</span>
        </p>
      )}
      {part === "pace" && <PacePart {...props} />}
      {part === "delays" && <DelaysPart {...props} />}
      {part === "order" && <OrderPart {...props} />}
      {part === "seam" && <SeamPart {...props} />}
      {part === "spans" && <SpansPart {...props} />}
    </>
  );
}
