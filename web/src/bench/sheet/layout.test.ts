import { describe, expect, it } from "vitest";
import type { SheetInfo } from "../../api/client";
import { cellAt, cellsOf, extentOf, rowsOf } from "./layout";

const info = {
  measured: true,
  most: 64,
  sheets: [
    [64, 40],
    [32, 20],
  ],
  cells: [
    [0, 0, 0, 0],
    [0, 20, 0, 1],
    [1, 4, 4, 0],
  ],
  boxes: [
    [0, 0, 20, 10],
    [2, 2, 30, 12],
    [0, 0, 8, 8],
  ],
  off: [2],
  rows: [
    { name: "fly", count: 2 },
    { name: null, count: 1 },
  ],
} as unknown as SheetInfo;

describe("the cells of a layout", () => {
  const [cells, extent] = [cellsOf(info), extentOf(info)];

  it("are as large as they lie there, turned or upright", () => {
    expect(cells.map(({ width, height }) => [width, height])).toEqual([
      [20, 10],
      [12, 30],
      [8, 8],
    ]);
    expect(cells.map(({ off }) => off)).toEqual([false, false, true]);
  });

  it("are found by a point, on sheets below each other", () => {
    expect(extent).toEqual({ tops: [0, 64], width: 64, height: 84 });
    expect(cellAt(cells, extent, 31, 29)?.item).toBe(1);
    expect(cellAt(cells, extent, 31, 31)).toBeUndefined();
    expect(cellAt(cells, extent, 5, 64 + 4)?.item).toBe(2);
  });

  it("make rows with their names", () => {
    expect(rowsOf(info, cells, extent)).toEqual([
      { name: "fly", count: 2, top: 0, bottom: 30 },
      { name: null, count: 1, top: 68, bottom: 76 },
    ]);
  });
});
