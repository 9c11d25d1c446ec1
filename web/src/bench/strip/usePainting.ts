// Canvases that are painted once for each picture of the screen, however often what they show has changed.

import { useEffect } from "react";

/** Paint when the screen is drawn next, after any of `parts` has changed. */
export function usePainting(paint: () => void, parts: readonly unknown[]): void {
  useEffect(() => {
    const due = requestAnimationFrame(paint);
    return () => cancelAnimationFrame(due);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what is painted is told by its parts
  }, parts);
}

/** A canvas so many CSS pixels large, sharp on this display. */
export function fitted(
  canvas: HTMLCanvasElement | null,
  across: number,
  down: number,
): CanvasRenderingContext2D | null {
  const context = canvas?.getContext("2d");
  if (!canvas || !context || across === 0) return null;
  const ratio = window.devicePixelRatio;
  const [width, height] = [Math.round(across * ratio), Math.round(down * ratio)];
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  return context;
}
