// A loupe: the pixels around one of the picture, large, as they are in the source and as they became.

import { useEffect, useRef, useState, type RefObject } from "react";
import type { FrameSource } from "../player/frames";
import { usePlayhead } from "../player/playhead";
import { arrowStep } from "../ui/drag";
import { offBy } from "./paint";
import { hexOf } from "./pick";

/** Pixels across and down, and how large each is shown. */
const [ACROSS, LARGE] = [9, 11];
const SIDE = ACROSS * LARGE;
const HALF = ACROSS >> 1;

type Rgba = readonly [number, number, number, number];

export function Loupe({
  frames,
  source,
  scale,
}: {
  frames: FrameSource;
  source: FrameSource | null;
  scale: number;
}) {
  const over = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<readonly [number, number]>([frames.width >> 1, frames.height >> 1]);
  const index = usePlayhead((state) => state.index);
  const [pixels, setPixels] = useState<{ ours: Rgba | null; theirs: Rgba | null }>({
    ours: null,
    theirs: null,
  });
  const [ours, theirs] = [useRef<HTMLCanvasElement>(null), useRef<HTMLCanvasElement>(null)];
  useEffect(() => {
    // Pointers go on to the picture below, which may wait for one.
    const parent = over.current?.parentElement;
    if (!parent) return;
    const move = (event: PointerEvent) => {
      const box = parent.getBoundingClientRect();
      const inside = (value: number, most: number) =>
        Math.min(most - 1, Math.max(0, Math.floor(value / scale)));
      setAt([inside(event.clientX - box.left, frames.width), inside(event.clientY - box.top, frames.height)]);
    };
    parent.addEventListener("pointermove", move);
    return () => parent.removeEventListener("pointermove", move);
  }, [frames, scale]);
  useEffect(() => {
    let gone = false;
    const draw = async () => {
      const [result, true_] = await Promise.all([frames.get(index), source?.get(index)]);
      if (gone) return;
      setPixels({
        ours: enlarged(ours, result, at),
        theirs: true_ ? enlarged(theirs, true_, at) : null,
      });
    };
    draw().catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [frames, source, index, at, ours, theirs]);
  const [x, y] = at;
  // Beside the pixel, on the side where there is more room.
  const [left, top] = [x < frames.width / 2, y < frames.height / 2];
  return (
    <div ref={over} className="pointer-events-none absolute inset-0 z-10">
      <span
        className="absolute outline-2 outline-white shadow-[0_0_0_3px_rgb(0_0_0/0.6)]"
        style={{ left: x * scale, top: y * scale, width: Math.max(scale, 3), height: Math.max(scale, 3) }}
      />
      <div
        role="group"
        tabIndex={0}
        aria-label={`Loupe at ${x}, ${y}`}
        aria-description="Arrow keys move it by a pixel"
        className="pointer-events-auto absolute flex gap-2 rounded-[8px] bg-card p-2 text-xs shadow-lg"
        style={{
          ...(left ? { left: (x + 1) * scale + 18 } : { right: (frames.width - x) * scale + 18 }),
          ...(top ? { top: y * scale } : { bottom: (frames.height - y - 1) * scale }),
        }}
        onPointerMove={(event) => event.stopPropagation()}
        onKeyDown={(event) => {
          const by = arrowStep(event);
          if (!by) return;
          const inside = (value: number, most: number) => Math.min(most - 1, Math.max(0, value));
          setAt([inside(x + by[0], frames.width), inside(y + by[1], frames.height)]);
        }}
      >
        <Half name="source" canvas={theirs} pixel={pixels.theirs} />
        <Half name="result" canvas={ours} pixel={pixels.ours} />
        <p className="figure w-[78px] self-end text-ink-2">
          {x}, {y}
          <span className="block text-ink">{offWords(pixels.ours, pixels.theirs)}</span>
        </p>
      </div>
    </div>
  );
}

function Half({
  name,
  canvas,
  pixel,
}: {
  name: string;
  canvas: RefObject<HTMLCanvasElement | null>;
  pixel: Rgba | null;
}) {
  return (
    <figure className="flex flex-col gap-1">
      <span className="text-ink-2">{name}</span>
      <span className="relative block">
        <canvas ref={canvas} width={SIDE} height={SIDE} className="chequer rounded-[4px]" />
        <span
          className="absolute outline outline-white shadow-[0_0_0_2px_rgb(0_0_0/0.6)]"
          style={{ left: HALF * LARGE, top: HALF * LARGE, width: LARGE, height: LARGE }}
        />
      </span>
      <output aria-label={`Pixel of the ${name}`} className="figure font-semibold">
        {pixel === null ? "…" : pixel[3] === 0 ? "clear" : hexOf(pixel)}
        {pixel !== null && pixel[3] > 0 && pixel[3] < 255 && ` ${Math.round(pixel[3] / 2.55)} %`}
      </output>
    </figure>
  );
}

/** Draws what is around a pixel; gives the pixel. */
function enlarged(
  canvas: RefObject<HTMLCanvasElement | null>,
  picture: ImageBitmap,
  [x, y]: readonly [number, number],
): Rgba | null {
  const context = canvas.current?.getContext("2d", { willReadFrequently: true });
  if (!context) return null;
  context.imageSmoothingEnabled = false;
  context.clearRect(0, 0, SIDE, SIDE);
  context.drawImage(picture, x - HALF, y - HALF, ACROSS, ACROSS, 0, 0, SIDE, SIDE);
  const middle = HALF * LARGE + (LARGE >> 1);
  const [red = 0, green = 0, blue = 0, alpha = 0] = context.getImageData(middle, middle, 1, 1).data;
  return [red, green, blue, alpha];
}

/** By how much it is off. */
function offWords(ours: Rgba | null, theirs: Rgba | null): string {
  if (!ours || !theirs) return "";
  const off = offBy(ours[0] - theirs[0], ours[1] - theirs[1], ours[2] - theirs[2]);
  return off === 0 ? "identical" : `off by ${off.toFixed(1)}`;
}
