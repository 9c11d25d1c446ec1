// One cut-out that moves over a backdrop: where it begins, where it ends, and all places between.

import { create } from "zustand";

export interface Stand {
  /** Its middle, in pixels of the backdrop. */
  x: number;
  y: number;
  scale: number;
  /** In degrees, clockwise. */
  turn: number;
  opacity: number;
}

export type Easing = "even" | "in" | "out" | "both";

export interface Flight {
  cutOut: number;
  /** The frame under it; 0 for nothing. */
  backdrop: number;
  count: number;
  easing: Easing;
  start: Stand;
  end: Stand;
}

const STAND: Stand = { x: 0, y: 0, scale: 1, turn: 0, opacity: 1 };

/** The flight that is being drawn, while it is on the stage. */
export const useFlight = create<{ open: boolean; flight: Flight }>(() => ({
  open: false,
  flight: { cutOut: 1, backdrop: 0, count: 12, easing: "even", start: STAND, end: STAND },
}));

export const setFlight = (change: Partial<Flight>) =>
  useFlight.setState(({ flight }) => ({ flight: { ...flight, ...change } }));

/** How far it is after a share of the time. */
export function eased(share: number, easing: Easing): number {
  if (easing === "in") return share ** 2;
  if (easing === "out") return 1 - (1 - share) ** 2;
  return easing === "both" ? share ** 2 * (3 - 2 * share) : share;
}

/** Where it stands in each frame; its scale grows by the same factor from one to the next. */
export function stands({ start, end, count, easing }: Flight): Stand[] {
  return Array.from({ length: count }, (_, index) => {
    const share = eased(index / (count - 1), easing);
    const mix = (key: "x" | "y" | "turn" | "opacity") => start[key] * (1 - share) + end[key] * share;
    return {
      x: mix("x"),
      y: mix("y"),
      scale: start.scale ** (1 - share) * end.scale ** share,
      turn: mix("turn"),
      opacity: mix("opacity"),
    };
  });
}
