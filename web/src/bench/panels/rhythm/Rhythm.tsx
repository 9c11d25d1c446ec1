// Order and time, in five parts: the pace of all, single delays, the order, the loop's closing, named spans.

import { create } from "zustand";
import { Segmented } from "../../../ui/controls";
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
      {part === "pace" && <PacePart {...props} />}
      {part === "delays" && <DelaysPart {...props} />}
      {part === "order" && <OrderPart {...props} />}
      {part === "seam" && <SeamPart {...props} />}
      {part === "spans" && <SpansPart {...props} />}
    </>
  );
}
