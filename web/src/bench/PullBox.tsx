// A box over a picture: pulled by its handles, moved by hand or by the arrow keys.

import { useEffect, useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from "react";
import { arrowStep, follow } from "../ui/drag";
import { pulled, type Box, type Handle } from "./crop";

const HANDLES: readonly { name: Handle; x: number; y: number; label: string }[] = [
  { name: "nw", x: 0, y: 0, label: "Top left corner" },
  { name: "n", x: 0.5, y: 0, label: "Top edge" },
  { name: "ne", x: 1, y: 0, label: "Top right corner" },
  { name: "e", x: 1, y: 0.5, label: "Right edge" },
  { name: "se", x: 1, y: 1, label: "Bottom right corner" },
  { name: "s", x: 0.5, y: 1, label: "Bottom edge" },
  { name: "sw", x: 0, y: 1, label: "Bottom left corner" },
  { name: "w", x: 0, y: 0.5, label: "Left edge" },
];

/** Sides that a hand may make a box as small as: what is smaller was let slip, and can still be typed. */
const LEAST = 4;

export function PullBox({
  name,
  box,
  sides,
  scale,
  ratio = null,
  takesFocus = false,
  onPull,
  onDone,
  onKey,
  children,
}: {
  name: string;
  box: Box;
  /** Of the picture, in its own pixels. */
  sides: { width: number; height: number };
  /** Pixels of the screen to one of the picture. */
  scale: number;
  ratio?: number | null;
  /** Whether it has the focus from the first. */
  takesFocus?: boolean;
  /** While it is pulled; null when it is let go. */
  onPull: (box: Box | null) => void;
  onDone: (box: Box) => void;
  onKey: (box: Box) => void;
  children?: ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (takesFocus) frame.current?.focus({ preventScroll: true });
  }, [takesFocus]);
  const px = (pixels: number) => `${pixels * scale}px`;
  const pull = (handle: Handle) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const from = { x: event.clientX, y: event.clientY };
    let now = box;
    const move = (moved: globalThis.PointerEvent) => {
      const [dx, dy] = [(moved.clientX - from.x) / scale, (moved.clientY - from.y) / scale];
      now = pulled(box, handle, dx, dy, ratio, sides);
      onPull(now);
    };
    follow(event, move, (calledOff) => {
      onPull(null);
      const slipped = now.width < Math.min(LEAST, box.width) || now.height < Math.min(LEAST, box.height);
      if (!calledOff && !slipped && now !== box) onDone(now);
    });
  };
  const nudge = (handle: Handle) => (event: KeyboardEvent) => {
    const by = arrowStep(event);
    if (!by) return;
    onKey(pulled(box, handle, by[0], by[1], ratio, sides));
  };
  return (
    <>
      {/* What lies outside is in shadow: four plain boxes, as one large shadow is slow to draw under a picture that plays. */}
      {[
        { left: 0, top: 0, right: 0, height: px(box.top) },
        { left: 0, top: px(box.top), width: px(box.left), height: px(box.height) },
        { left: px(box.left + box.width), top: px(box.top), right: 0, height: px(box.height) },
        { left: 0, top: px(box.top + box.height), right: 0, bottom: 0 },
      ].map((style, side) => (
        <div key={side} className="pointer-events-none absolute bg-[#14181e]/60" style={style} />
      ))}
      <div
        ref={frame}
        role="group"
        tabIndex={0}
        aria-label={`${name}, ${box.width} by ${box.height} at ${box.left}, ${box.top}`}
        className="absolute cursor-move touch-none outline-2 outline-white/90 focus-visible:outline-jay"
        style={{ left: px(box.left), top: px(box.top), width: px(box.width), height: px(box.height) }}
        onPointerDown={pull("move")}
        onKeyDown={nudge("move")}
      >
        {children}
        {HANDLES.map(({ name: handle, x, y, label }) => (
          <button
            key={handle}
            type="button"
            aria-label={label}
            onPointerDown={pull(handle)}
            onKeyDown={nudge(handle)}
            className="absolute size-[14px] -translate-1/2 touch-none rounded-[3px] border-2 border-white bg-jay"
            style={{ left: `${x * 100}%`, top: `${y * 100}%`, cursor: `${handle}-resize` }}
          />
        ))}
      </div>
    </>
  );
}
