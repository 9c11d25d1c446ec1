// A picture that holds several views side by side: how it is cut into them.

import { create } from "zustand";

export interface Grid {
  across: number;
  down: number;
  /** Pixels between two views. */
  gutter: number;
  order: "rows" | "columns";
}

/** The cut that is being drawn, while its lines are on the stage. */
export const useViews = create<{ open: boolean; grid: Grid }>(() => ({
  open: false,
  grid: { across: 3, down: 1, gutter: 0, order: "rows" },
}));

/** The size of each view, and the pixels at the right and below that are in none; null if they do not fit. */
export function viewSize(grid: Grid, width: number, height: number) {
  const across = Math.floor((width - grid.gutter * (grid.across - 1)) / grid.across);
  const down = Math.floor((height - grid.gutter * (grid.down - 1)) / grid.down);
  if (across < 1 || down < 1) return null;
  const right = width - grid.across * across - grid.gutter * (grid.across - 1);
  const below = height - grid.down * down - grid.gutter * (grid.down - 1);
  return { width: across, height: down, right, below };
}
