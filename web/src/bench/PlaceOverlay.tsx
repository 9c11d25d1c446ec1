// The picture on its canvas, moved by hand or by the arrow keys, and made larger or smaller by its corners or + and -.

import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { arrowStep, follow } from "../ui/drag";
import { cropOf, type Box } from "./crop";
import type { Bench } from "./edits";
import { cornerPulled, lyingIn, placed, widened, type Corner } from "./placing";

const CORNERS: readonly { name: Corner; x: number; y: number; label: string }[] = [
  { name: "nw", x: 0, y: 0, label: "Top left corner of the picture" },
  { name: "ne", x: 1, y: 0, label: "Top right corner of the picture" },
  { name: "sw", x: 0, y: 1, label: "Bottom left corner of the picture" },
  { name: "se", x: 1, y: 1, label: "Bottom right corner of the picture" },
];

export function PlaceOverlay({ bench, scale }: { bench: Bench; scale: number }) {
  const { recipe, output, project } = bench;
  const part = cropOf(recipe, output, project) ?? project;
  const kept = placed(output.size, part.width, part.height);
  const [hand, setHand] = useState<Box | null>(null);
  if (!kept) return null;
  const box = hand ?? kept;
  const ratio = part.width / part.height;
  const put = (left: number, top: number, gesture = "") =>
    bench.editOutput(
      `Lies at ${left}, ${top}`,
      (so) => ({ ...so, size: { ...so.size, at: [left, top] } }),
      gesture,
    );
  const resize = (next: Box, free: boolean, gesture = "") =>
    bench.editOutput(
      free ? `Picture ${next.width} × ${next.height}` : `Picture ${next.width} wide`,
      (so) => ({ ...so, size: lyingIn(so.size, next, free) }),
      gesture,
    );
  const pull = (event: PointerEvent<HTMLElement>, step: (dx: number, dy: number, free: boolean) => Box) => {
    event.preventDefault();
    event.stopPropagation();
    const from = { x: event.clientX, y: event.clientY };
    let now = kept;
    let free = false;
    const move = (to: globalThis.PointerEvent) => {
      free = to.shiftKey;
      now = step((to.clientX - from.x) / scale, (to.clientY - from.y) / scale, free);
      setHand(now);
    };
    follow(event, move, (calledOff) => {
      setHand(null);
      if (calledOff) return;
      if (now.width !== kept.width || now.height !== kept.height) resize(now, free);
      else if (now.left !== kept.left || now.top !== kept.top) put(now.left, now.top);
    });
  };
  const moved = (dx: number, dy: number) => ({
    ...kept,
    left: Math.round(kept.left + dx),
    top: Math.round(kept.top + dy),
  });
  const key = (event: KeyboardEvent) => {
    const grown = { "+": 1, "=": 1, "*": 10, "-": -1, _: -10 }[event.key];
    if (grown !== undefined && !event.ctrlKey && !event.metaKey) {
      event.preventDefault();
      event.stopPropagation();
      resize(widened(kept, grown, ratio), false, "picture by key");
      return;
    }
    const by = arrowStep(event);
    if (by) put(kept.left + by[0], kept.top + by[1], "place by key");
  };
  return (
    <div
      role="group"
      tabIndex={0}
      aria-label={`Picture on its canvas, ${box.width} by ${box.height} at ${box.left}, ${box.top}`}
      title="Pull it, or its corners (Shift frees the proportions); arrow keys move it, + and - resize it"
      className={`group absolute cursor-move touch-none focus-visible:outline-2 focus-visible:outline-jay hover:outline-1 hover:outline-jay ${hand ? "outline-2 outline-jay" : ""}`}
      style={{
        left: box.left * scale,
        top: box.top * scale,
        width: box.width * scale,
        height: box.height * scale,
      }}
      onPointerDown={(event) => pull(event, moved)}
      onKeyDown={key}
    >
      {CORNERS.map(({ name, x, y, label }) => (
        <button
          key={name}
          type="button"
          aria-label={label}
          onPointerDown={(event) =>
            pull(event, (dx, dy, free) => cornerPulled(kept, name, dx, dy, free ? null : ratio))
          }
          onKeyDown={(event) => {
            const by = arrowStep(event);
            if (by)
              resize(cornerPulled(kept, name, by[0], by[1], event.shiftKey ? null : ratio), event.shiftKey);
          }}
          className="absolute size-[12px] -translate-1/2 touch-none rounded-[3px] border-2 border-white bg-jay opacity-0 group-hover:opacity-100 group-focus-within:opacity-100 group-focus:opacity-100"
          style={{
            left: `${x * 100}%`,
            top: `${y * 100}%`,
            cursor: name === "nw" || name === "se" ? "nwse-resize" : "nesw-resize",
          }}
        />
      ))}
    </div>
  );
}
