// The picture on its canvas, moved by hand or by the arrow keys.

import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { arrowStep, follow } from "../ui/drag";
import { cropOf } from "./crop";
import type { Bench } from "./edits";
import { placed } from "./placing";

export function PlaceOverlay({ bench, scale }: { bench: Bench; scale: number }) {
  const { recipe, output, project } = bench;
  const part = cropOf(recipe, output, project) ?? project;
  const kept = placed(output.size, part.width, part.height);
  const [hand, setHand] = useState<{ left: number; top: number } | null>(null);
  if (!kept) return null;
  const box = { ...kept, ...hand };
  const put = (left: number, top: number, gesture = "") =>
    bench.editOutput(
      `Lies at ${left}, ${top}`,
      (so) => ({ ...so, size: { ...so.size, at: [left, top] } }),
      gesture,
    );
  const pull = (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    const from = { x: event.clientX, y: event.clientY };
    let now = { left: kept.left, top: kept.top };
    const move = (to: globalThis.PointerEvent) => {
      now = {
        left: Math.round(kept.left + (to.clientX - from.x) / scale),
        top: Math.round(kept.top + (to.clientY - from.y) / scale),
      };
      setHand(now);
    };
    follow(event, move, () => {
      setHand(null);
      if (now.left !== kept.left || now.top !== kept.top) put(now.left, now.top);
    });
  };
  const nudge = (event: KeyboardEvent) => {
    const by = arrowStep(event);
    if (!by) return;
    put(kept.left + by[0], kept.top + by[1], "place by key");
  };
  return (
    <div
      role="group"
      tabIndex={0}
      aria-label={`Picture on its canvas, at ${box.left}, ${box.top}`}
      className={`absolute cursor-move touch-none focus-visible:outline-2 focus-visible:outline-jay ${hand ? "outline-2 outline-jay" : ""}`}
      style={{
        left: box.left * scale,
        top: box.top * scale,
        width: box.width * scale,
        height: box.height * scale,
      }}
      onPointerDown={pull}
      onKeyDown={nudge}
    />
  );
}
