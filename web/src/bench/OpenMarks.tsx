// Hatching over what of the picture is not opaque: where a transition would let the cut be seen.

import { useEffect, useRef } from "react";
import { usePlayhead } from "../player/playhead";
import type { Shown } from "./useShown";

const STRIPE = 8;

export function OpenMarks({ shown, scale }: { shown: Shown; scale: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = Math.max(1, Math.round(shown.result.info.width * scale));
  const height = Math.max(1, Math.round(shown.result.info.height * scale));
  useEffect(() => {
    const context = canvas.current?.getContext("2d", { willReadFrequently: true });
    if (!context) return;
    let over = false;
    const draw = () => {
      const { index } = usePlayhead.getState();
      shown.frames
        .get(index)
        .then((picture) => {
          if (!over && usePlayhead.getState().index === index) hatch(context, picture, width, height);
        })
        .catch(() => undefined);
    };
    draw();
    const stop = usePlayhead.subscribe((now, before) => {
      if (now.index !== before.index) draw();
    });
    return () => {
      over = true;
      stop();
    };
  }, [shown, width, height]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="What is uncovered"
      width={width}
      height={height}
      className="pointer-events-none absolute inset-0 size-full"
    />
  );
}

function hatch(context: CanvasRenderingContext2D, picture: ImageBitmap, width: number, height: number): void {
  context.clearRect(0, 0, width, height);
  context.drawImage(picture, 0, 0, width, height);
  const image = context.getImageData(0, 0, width, height);
  const pixels = new Uint32Array(image.data.buffer);
  const [stripe, between] = [0xe0222bad, 0x50222bad]; // the stop colour, as little-endian ABGR
  for (let y = 0, at = 0; y < height; y += 1)
    for (let x = 0; x < width; x += 1, at += 1)
      pixels[at] = (pixels[at] ?? 0) >>> 24 === 255 ? 0 : (x + y) % STRIPE < 2 ? stripe : between;
  context.putImageData(image, 0, 0);
}
