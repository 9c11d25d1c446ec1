import { describe, expect, it } from "vitest";
import { FRAMING } from "./testing";
import { flicker, isPlain, PLAIN, toneOf, withoutTone, withTone } from "./tone";

describe("tones of some frames", () => {
  const brighter = (framing: typeof FRAMING, positions: readonly number[] | null, exposure: number) =>
    withTone(framing, positions, (tone) => ({ ...tone, exposure }));

  it("are kept apart, put together where they are equal, and go back to that of all", () => {
    const all = brighter(FRAMING, null, 1);
    const some = brighter(all, [3, 2], -1);
    expect(some.tones).toEqual([{ frames: [2, 3], tone: { ...PLAIN, exposure: -1 } }]);
    const more = brighter(brighter(some, [3], 0.5), [5], -1);
    expect(more.tones.map(({ frames }) => frames)).toEqual([[2, 5], [3]]);
    expect([1, 2, 3, 5].map((position) => toneOf(more, position).exposure)).toEqual([1, -1, 0.5, -1]);
    expect(toneOf(withoutTone(more, [2, 3]), 2).exposure).toBe(1);
    expect(withoutTone(more, [2, 3, 5]).tones).toEqual([]);
    expect([isPlain(PLAIN), isPlain(all.tone)]).toEqual([true, false]);
  });

  it("tells flicker from a slow change", () => {
    expect(flicker([10, 12, 14, 16])).toBe(0);
    expect(flicker([10, 12, 10, 12, 10])).toBeCloseTo(2);
    expect(flicker([])).toBe(0);
  });
});
