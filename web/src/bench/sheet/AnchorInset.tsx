// The playing frame beside its sheet, with its anchor point, which is set here.

import { useMemo, type KeyboardEvent, type PointerEvent } from "react";
import { usePlayhead } from "../../player/playhead";
import { usePlayed, type Played } from "../../player/usePlayed";
import { arrowStep, follow } from "../../ui/drag";
import type { Bench } from "../edits";
import type { Shown } from "../useShown";
import { anchorOf, spanOf, withAnchor } from "./anchor";
import { useAnchor } from "./layout";

const SIDE = 132;
const cut = (share: number) => Math.round(share * 1000) / 1000;

export function AnchorInset({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const step = usePlayhead((state) => state.index);
  const of = useAnchor((state) => state.of);
  const { output, recipe } = bench;
  const { width, height } = shown?.result.info ?? { width: 1, height: 1 };
  const scale = Math.min(SIDE / width, SIDE / height);
  const frames = shown?.frames;
  const canvas = usePlayed(
    useMemo<Played | null>(
      () =>
        frames
          ? {
              count: frames.count,
              takes: (index) => [[frames, index]],
              paint: (context, [picture]) => {
                context.clearRect(0, 0, frames.width, frames.height);
                if (picture) context.drawImage(picture, 0, 0);
              },
            }
          : null,
      [frames],
    ),
  );
  if (!shown || output.format !== "sheet") return null;
  const position = shown.result.positions[step] ?? 1;
  const span = spanOf(recipe.rhythm.spans, shown.result.places[step] ?? 1);
  const [x, y] = anchorOf(output, position, span);
  const put = (across: number, down: number, gesture: string) =>
    bench.editOutput(
      `Anchor ${cut(across)}, ${cut(down)}`,
      (so) => (so.format === "sheet" ? withAnchor(so, of, position, span, [cut(across), cut(down)]) : so),
      gesture,
    );
  const pull = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const gesture = crypto.randomUUID();
    const move = (to: { clientX: number; clientY: number }) =>
      put((to.clientX - box.left) / box.width, (to.clientY - box.top) / box.height, gesture);
    move(event);
    follow(event, move, (calledOff) => {
      bench.release();
      if (calledOff) bench.undo(); // a frame that had no anchor of its own has none again
    });
  };
  const nudge = (event: KeyboardEvent) => {
    const by = arrowStep(event);
    if (!by) return;
    put(x + by[0] / width, y + by[1] / height, "anchor by key");
  };
  return (
    <div className="absolute right-3 bottom-3 rounded-[10px] border border-line bg-card p-2 shadow">
      <div
        role="group"
        tabIndex={0}
        aria-label={`Anchor point at ${x}, ${y}`}
        className="chequer relative cursor-crosshair touch-none overflow-hidden rounded-[6px] focus-visible:outline-2 focus-visible:outline-jay"
        style={{ width: width * scale, height: height * scale }}
        onPointerDown={pull}
        onKeyDown={nudge}
      >
        <canvas
          ref={canvas}
          role="img"
          aria-label="The frame that plays"
          width={width}
          height={height}
          className="absolute inset-0 h-full w-full"
          style={{ imageRendering: scale >= 1 ? "pixelated" : "auto" }}
        />
        <span
          aria-hidden
          className="absolute size-[15px] -translate-1/2 rounded-full border-2 border-[#fffdf9] bg-jay/30 shadow-[0_0_0_1.5px_#1c2530]"
          style={{ left: `${x * 100}%`, top: `${y * 100}%` }}
        />
      </div>
    </div>
  );
}
