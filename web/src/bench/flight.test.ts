import { describe, expect, it } from "vitest";
import { eased, stands } from "./flight";

describe("a flight", () => {
  it("goes from its start to its end", () => {
    const start = { x: 0, y: 10, scale: 0.5, turn: 0, opacity: 1 };
    const end = { x: 90, y: 40, scale: 4, turn: 180, opacity: 0 };
    const made = stands({ cutOut: 1, backdrop: 2, count: 4, easing: "even", start, end });
    expect(made[0]).toEqual(start);
    expect(made[3]).toEqual(end);
    expect(made.map(({ x }) => Math.round(x))).toEqual([0, 30, 60, 90]);
    expect(made.map(({ scale }) => Math.round(scale * 100) / 100)).toEqual([0.5, 1, 2, 4]);
  });

  it("is half-way sooner or later as it is eased", () => {
    expect((["even", "in", "out", "both"] as const).map((easing) => eased(0.5, easing))).toEqual([
      0.5, 0.25, 0.75, 0.5,
    ]);
  });
});
