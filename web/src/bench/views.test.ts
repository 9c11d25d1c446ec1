import { describe, expect, it } from "vitest";
import { viewSize } from "./views";

describe("views on a picture", () => {
  const grid = { across: 3, down: 2, gutter: 4, order: "rows" } as const;

  it("are of one size, and what does not divide is left over", () => {
    expect(viewSize(grid, 100, 50)).toEqual({ width: 30, height: 23, right: 2, below: 0 });
    expect(viewSize({ ...grid, gutter: 0 }, 90, 50)).toEqual({ width: 30, height: 25, right: 0, below: 0 });
  });

  it("need an area", () => {
    expect(viewSize(grid, 10, 50)).toBeNull();
  });
});
