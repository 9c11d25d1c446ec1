// A canvas that shows what is under the playhead, as soon as its pictures are decoded.

import { useEffect, useRef, type RefObject } from "react";
import type { FrameSource } from "./frames";
import { usePlayhead } from "./playhead";

/** How many steps ahead are decoded before they are due. */
const AHEAD = 4;

/** What is drawn at each step. Made anew (so keep it by useMemo), it is drawn anew. */
export interface Played {
  /** Steps of a round. */
  count: number;
  /** The pictures that a step takes: of which source, and which of its frames. */
  takes: (step: number) => readonly (readonly [source: FrameSource, index: number])[];
  /** Called with those that are there, and again when all are. */
  paint: (
    context: CanvasRenderingContext2D,
    pictures: readonly (ImageBitmap | undefined)[],
    step: number,
  ) => void;
  /** What else has it drawn anew; gives what ends that. */
  watch?: (draw: () => void) => () => void;
}

export function usePlayed(played: Played | null): RefObject<HTMLCanvasElement | null> {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !played) return;
    const count = Math.max(played.count, 1);
    let over = false;
    const draw = () => {
      if (over) return;
      const step = usePlayhead.getState().index;
      const takes = played.takes(step);
      const pictures = takes.map(([source, index]) => source.peek(index));
      if (pictures.includes(undefined))
        Promise.all(takes.map(([source, index]) => source.get(index)))
          .then(() => usePlayhead.getState().index === step && draw())
          .catch(() => undefined);
      // Until one has come what is there stays; a comparison with what was before does not.
      if (pictures.some(Boolean)) played.paint(context, pictures, step);
      for (let ahead = 1; ahead <= AHEAD; ahead += 1)
        for (const [source, index] of played.takes((step + ahead) % count)) source.peek(index);
    };
    draw();
    const stops = [
      usePlayhead.subscribe((state, before) => {
        if (state.index !== before.index) draw();
      }),
      played.watch?.(draw),
    ];
    return () => {
      over = true;
      for (const stop of stops) stop?.();
    };
  }, [played]);
  return canvas;
}
