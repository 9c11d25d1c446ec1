// A colour taken from the picture on the stage.

import { create } from "zustand";

/** Who waits for a colour; a click on the picture gives it. */
export const usePick = create<{ taker: ((colour: string) => void) | null }>(() => ({ taker: null }));

/** The colour of a canvas under a pointer, as #rrggbb; null where it is clear. */
export function colourAt(canvas: HTMLCanvasElement, clientX: number, clientY: number): string | null {
  const box = canvas.getBoundingClientRect();
  const x = Math.floor(((clientX - box.left) / box.width) * canvas.width);
  const y = Math.floor(((clientY - box.top) / box.height) * canvas.height);
  const [red = 0, green = 0, blue = 0, alpha = 0] =
    canvas.getContext("2d")?.getImageData(x, y, 1, 1).data ?? [];
  return alpha === 0 ? null : hexOf([red, green, blue]);
}

/** As #rrggbb. */
export const hexOf = ([red, green, blue]: readonly [number, number, number, ...number[]]) =>
  `#${[red, green, blue].map((level) => level.toString(16).padStart(2, "0")).join("")}`;
