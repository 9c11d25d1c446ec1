import { describe, expect, it } from "vitest";
import type { SheetInfo } from "../../api/client";
import type { SheetDocument } from "../../player/sheet";
import { cellAt, cellsOf, extentOf, liesAlike, rowsOf } from "./layout";

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
  of_step: [0, 1, 2, 0],
  off: [2],
  rows: [
    { name: "fly", count: 2 },
    { name: null, count: 1 },
  ],
} as unknown as SheetInfo;

describe("the cells of a layout", () => {
  const [cells, extent] = [cellsOf(info), extentOf(info, { width: 400, height: 100 })];

  it("are as large as they lie there, turned or upright", () => {
    expect(cells.map(({ width, height }) => [width, height])).toEqual([
      [20, 10],
      [12, 30],
      [8, 8],
    ]);
    expect(cells.map(({ off }) => off)).toEqual([false, false, true]);
  });

  it("are found by a point, on sheets below each other", () => {
    const corners = [
      { x: 0, y: 0 },
      { x: 0, y: 64 },
    ];
    expect(extent).toEqual({ corners, width: 64, height: 84 });
    expect(cellAt(cells, extent, 31, 29)?.item).toBe(1);
    expect(cellAt(cells, extent, 31, 31)).toBeUndefined();
    expect(cellAt(cells, extent, 5, 64 + 4)?.item).toBe(2);
  });

  it.each([
    ["wide", { width: 400, height: 60 }, 3, [192 + 2 * 24, 64]],
    ["square", { width: 200, height: 200 }, 2, [128 + 24, 128 + 24]],
    ["high", { width: 80, height: 400 }, 1, [64, 192 + 2 * 24]],
  ])("lie so that sheets are seen as large as they can be in a %s room", (_, room, columns, sides) => {
    const three = { ...info, sheets: [64, 64, 64].map((side) => [side, side]), cells: [], off: [], rows: [] };
    const { corners, width, height } = extentOf(three as unknown as SheetInfo, room);
    expect(corners).toEqual([0, 1, 2].map((i) => ({ x: (i % columns) * 88, y: Math.floor(i / columns) * 88 })));
    expect([width, height]).toEqual(sides);
  });

  it("make rows with their names", () => {
    expect(rowsOf(info, cells, extent)).toEqual([
      { name: "fly", count: 2, top: 0, bottom: 30 },
      { name: null, count: 1, top: 68, bottom: 76 },
    ]);
  });

  it("are those of a file only if every frame lies there", () => {
    const frames = info.of_step.map((item) => {
      const [sheet, x, y, turned] = info.cells[item] ?? [];
      const [offset_x, offset_y, width, height] = info.boxes[item] ?? [];
      return { sheet, x, y, turned: turned === 1, offset_x, offset_y, width, height };
    });
    const sheets = info.sheets.map(([width, height]) => ({ width, height }));
    const file = { sheets, frames } as unknown as SheetDocument;
    expect(liesAlike(info, file)).toBe(true);
    expect(liesAlike({ ...info, cells: info.cells.map(([s, x, y, t]) => [s, x + 1, y, t]) }, file)).toBe(false);
    expect(liesAlike(info, { ...file, frames: file.frames.slice(1) })).toBe(false);
    expect(liesAlike(info, undefined)).toBe(false);
  });
});
