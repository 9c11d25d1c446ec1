import { describe, expect, it } from "vitest";
import type { Output, Recipe } from "../api/client";
import { cropOf, pulled, valueOf, withRatio, type Handle } from "./crop";

const sides = { width: 160, height: 90 };
const box = { left: 40, top: 20, width: 80, height: 45 };
const HANDLES: Handle[] = ["n", "e", "s", "w", "ne", "se", "sw", "nw", "move"];

describe("a crop box", () => {
  it("never leaves the frames, keeps an area, and only a locked ratio moves other sides", () => {
    for (const handle of HANDLES)
      for (const ratio of [null, 16 / 9, 1, 2 / 3])
        for (const dx of [-300, -33, 0, 7, 300])
          for (const dy of [-300, -12, 0, 9, 300]) {
            const next = pulled(box, handle, dx, dy, ratio, sides);
            expect(next.left).toBeGreaterThanOrEqual(0);
            expect(next.top).toBeGreaterThanOrEqual(0);
            expect(next.width).toBeGreaterThanOrEqual(1);
            expect(next.height).toBeGreaterThanOrEqual(1);
            expect(next.left + next.width).toBeLessThanOrEqual(sides.width);
            expect(next.top + next.height).toBeLessThanOrEqual(sides.height);
            if (handle !== "move" && ratio !== null)
              expect(Math.abs(next.width - next.height * ratio)).toBeLessThanOrEqual(1 + ratio);
          }
    expect(pulled(box, "e", 10, 99, null, sides)).toEqual({ ...box, width: 90 });
    expect(pulled(box, "nw", -4, 5, null, sides)).toEqual({ left: 36, top: 25, width: 84, height: 40 });
    expect(pulled(box, "move", 500, -500, 1, sides)).toEqual({ ...box, left: 80, top: 0 });
  });

  it("takes the ratio that is chosen around its middle", () => {
    expect(withRatio(box, 1, sides)).toEqual({ left: 58, top: 20, width: 45, height: 45 });
    expect(valueOf("custom", "4:5", sides)).toBe(0.8);
    expect(valueOf("custom", "1.91", sides)).toBe(1.91);
    expect(valueOf("custom", "0", sides)).toBeNull();
    expect(valueOf("source", "", sides)).toBeCloseTo(16 / 9);
  });

  it("is the same part of frames that came at another size", () => {
    const framing = { crop: [40, 20, 80, 45], drawn_on: [160, 90] };
    const recipe = { framing } as unknown as Recipe;
    const output = { framing: null } as unknown as Output;
    expect(cropOf(recipe, output, sides)).toEqual(box);
    expect(cropOf(recipe, output, { width: 80, height: 45 })).toEqual({
      left: 20,
      top: 10,
      width: 40,
      height: 23,
    });
    expect(cropOf({ framing: { crop: null, drawn_on: null } } as unknown as Recipe, output, sides)).toBeNull();
  });
});
