import { describe, expect, it } from "vitest";
import { frameDue, heading, motionsOf } from "./actor";

const span = (name: string, first: number) => ({
  name,
  first,
  last: first + 3,
  direction: "forward",
  repeat: 0,
});

describe("spans in a scene", () => {
  it("are motions in directions, whatever stands first in their names", () => {
    const motions = motionsOf([span("NE fly", 0), span("fly_n", 4), span("dive-S", 8), span("idle", 12)]);
    expect(motions.map(({ name }) => name)).toEqual(["fly", "dive"]);
    expect([motions[0]?.by.NE?.first, motions[0]?.by.N?.first, motions[1]?.by.S?.first]).toEqual([0, 4, 8]);
  });

  it("are led by the keys that are held", () => {
    expect(heading(new Set(["ArrowUp", "ArrowRight"]))).toBe("NE");
    expect(heading(new Set(["ArrowLeft", "ArrowRight"]))).toBeNull();
    expect(heading(new Set(["ArrowDown"]))).toBe("S");
  });

  it("play by their own times or at a rate, for ever or once", () => {
    const actor = { lasts: (index: number) => (index === 5 ? 100 : 50) };
    const run = { first: 4, last: 6 };
    expect([0, 49, 50, 149, 150, 199].map((ms) => frameDue(actor, run, ms, null, false))).toEqual([
      4, 4, 5, 5, 6, 6,
    ]);
    expect(frameDue(actor, run, 200, null, false)).toBe(4);
    expect(frameDue(actor, run, 1e6, null, true)).toBe(6);
    expect(frameDue(actor, run, 25, 10, false)).toBe(6);
  });
});
