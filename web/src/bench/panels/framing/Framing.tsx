// The picture half of the work, in four parts: what is seen and how large, alpha, tone, and how frames line up.

import { create } from "zustand";
import { Segmented } from "../../../ui/controls";
import { Head, type PanelProps } from "../panel";
import { AlphaPart } from "./Alpha";
import { CropPart } from "./Crop";
import { LineUpPart } from "./LineUp";
import { SizePart } from "./Size";
import { TonePart } from "./Tone";

export type FramingPart = "size" | "alpha" | "tone" | "line-up";

export const useFramingPart = create<{ part: FramingPart }>(() => ({ part: "size" }));

export function FramingPanel(props: PanelProps) {
  const part = useFramingPart((state) => state.part);
  const { width, height } = props.bench.project;
  return (
    <>
      <Head title="Framing">
        from {width} × {height}
      </Head>
      <Segmented
        label="Part of the framing"
        value={part}
        choices={[
          { value: "size", label: "Crop, size" },
          { value: "alpha", label: "Alpha" },
          { value: "tone", label: "Tone" },
          { value: "line-up", label: "Line up" },
        ]}
        onChange={(next) => useFramingPart.setState({ part: next })}
      />
      {part === "size" && (
        <>
          <CropPart bench={props.bench} />
          <SizePart {...props} />
        </>
      )}
      {part === "alpha" && <AlphaPart {...props} />}
      {part === "tone" && <TonePart {...props} />}
      {part === "line-up" && <LineUpPart {...props} />}
    </>
  );
}
