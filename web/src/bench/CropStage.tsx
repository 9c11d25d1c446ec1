// The whole frames, playing, with the box that is cropped to.

import { useState } from "react";
import { useFocusBack } from "../ui/refocus";
import { useRoom } from "../ui/useRoom";
import { cropOf, setCrop, useCrop, valueOf, wholeOf, type Box } from "./crop";
import type { Bench } from "./edits";
import { PullBox } from "./PullBox";
import type { Shown } from "./useShown";
import { WholeFrames } from "./WholeFrames";

export function CropStage({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const { project, recipe, output } = bench;
  const [area, room] = useRoom();
  const { ratio, own, byKey } = useCrop();
  useFocusBack();
  const kept = cropOf(recipe, output, project) ?? wholeOf(project);
  const [hand, setHand] = useState<Box | null>(null);
  const box = hand ?? kept;
  const scale = Math.min(room.width / project.width, room.height / project.height, 4) || 0;
  const label = (next: Box) => `Crop to ${next.width} × ${next.height}`;
  return (
    <section aria-label="Crop" className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage">
      <div ref={area} className="absolute inset-4">
        <div
          className="chequer absolute top-1/2 left-1/2 -translate-1/2"
          style={{ width: `${project.width * scale}px`, height: `${project.height * scale}px` }}
        >
          <WholeFrames bench={bench} shown={shown} />
          <PullBox
            name="Crop box"
            box={box}
            sides={project}
            takesFocus={byKey}
            scale={scale}
            ratio={valueOf(ratio, own, project)}
            onPull={setHand}
            onDone={(next) => setCrop(bench, next, label(next))}
            onKey={(next) => setCrop(bench, next, label(next), "crop by key")}
          >
            {[1, 2].map((third) => (
              <span
                key={`v${third}`}
                className="absolute inset-y-0 w-px bg-white/40"
                style={{ left: `${third * 33.333}%` }}
              />
            ))}
            {[1, 2].map((third) => (
              <span
                key={`h${third}`}
                className="absolute inset-x-0 h-px bg-white/40"
                style={{ top: `${third * 33.333}%` }}
              />
            ))}
          </PullBox>
        </div>
      </div>
      <span className="figure pointer-events-none absolute top-3 left-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
        {box.width} × {box.height}
      </span>
    </section>
  );
}
