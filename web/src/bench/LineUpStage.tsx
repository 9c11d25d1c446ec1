// Frames lined up by eye: against the one they lie on, moved by the arrow keys, with a box around the subject.

import { useState, type KeyboardEvent } from "react";
import { pause, usePlayhead } from "../player/playhead";
import { arrowStep } from "../ui/drag";
import { useRoom } from "../ui/useRoom";
import type { Box } from "./crop";
import type { Bench } from "./edits";
import { moveOf, nudged, setMoves, useLineUp } from "./lineUp";
import { PullBox } from "./PullBox";
import type { Shown } from "./useShown";
import { WholeFrames } from "./WholeFrames";

export function LineUpStage({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const { project, recipe } = bench;
  const [area, room] = useRoom();
  const { look, anchor, box } = useLineUp();
  const [hand, setHand] = useState<Box | null>(null);
  const index = usePlayhead((state) => state.index);
  const position = shown?.result.positions[index] ?? 0;
  const scale = Math.min(room.width / project.width, room.height / project.height, 4) || 0;
  const move = moveOf(recipe.framing.line_up, position);
  const nudge = (event: KeyboardEvent) => {
    const by = position < 1 ? null : arrowStep(event, event.altKey ? 0.1 : undefined);
    if (!by) return;
    pause();
    setMoves(
      bench,
      { [position]: nudged(move, by[0], by[1]) },
      `Frame ${position} moved`,
      `move ${position} by key`,
    );
  };
  return (
    <section aria-label="Line-up" className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage">
      <div ref={area} className="absolute inset-4">
        <div
          role="group"
          tabIndex={0}
          aria-label={`Frame ${position}, moved by ${move.x}, ${move.y}`}
          className="chequer absolute top-1/2 left-1/2 -translate-1/2 outline-offset-2 focus-visible:outline-2 focus-visible:outline-jay"
          style={{ width: `${project.width * scale}px`, height: `${project.height * scale}px` }}
          onKeyDown={nudge}
        >
          <WholeFrames bench={bench} shown={shown} look={look} anchor={anchor} />
          {box && (
            <PullBox
              name="Subject box"
              box={hand ?? box}
              sides={project}
              scale={scale}
              onPull={setHand}
              onDone={(next) => useLineUp.setState({ box: next })}
              onKey={(next) => useLineUp.setState({ box: next })}
            />
          )}
        </div>
      </div>
      <span className="figure pointer-events-none absolute top-3 left-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
        {look === "difference" ? "difference × 4 · " : ""}frame {position} on {anchor}
      </span>
      <span className="pointer-events-none absolute right-3 bottom-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs text-[#fffdf9]">
        Arrow keys move the frame; Shift by ten, Alt by a tenth
      </span>
    </section>
  );
}
