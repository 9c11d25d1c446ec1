import { describe, expect, it } from "vitest";
import { moveOf, nudged, STILL, transformOf, withMoves, type LineUp } from "./lineUp";

const lineUp: LineUp = {
  anchor: 1,
  moves: { "2": { ...STILL, x: 4, y: -2 } },
  drawn_on: [200, 100],
  cover: "open",
};

describe("lining up", () => {
  it("keeps only frames that are moved", () => {
    expect(moveOf(lineUp, 2).x).toBe(4);
    expect(moveOf(lineUp, 3)).toEqual(STILL);
    const back = withMoves(lineUp, { "2": STILL, "3": nudged(STILL, 0.1, 0.2), "4": STILL });
    expect(Object.keys(back.moves)).toEqual(["3"]);
    expect(nudged(nudged(STILL, 0.1, 0), 0.2, 0).x).toBe(0.3);
  });

  it("draws a frame about its middle, on a view of another size too", () => {
    expect(transformOf(moveOf(lineUp, 2), lineUp.drawn_on, 100, 50, 1)).toEqual([1, 0, -0, 1, 2, -1]);
    const [a, b, c, d, e, f] = transformOf({ ...STILL, turn: 90, scale: 2 }, [200, 100], 200, 100, 1);
    // The middle stays, and what was to its right lies below it, twice as far.
    expect(a * 100 + c * 50 + e).toBeCloseTo(100);
    expect(b * 100 + d * 50 + f).toBeCloseTo(50);
    expect(b * 110 + d * 50 + f).toBeCloseTo(70);
  });
});
