import { describe, expect, it } from "vitest";
import { frameAt, startOf, timeline } from "./clock";

describe("the frame that is due", () => {
  const line = timeline([40, 100, 60], 0);

  it("follows the delays exactly, at their very edges too", () => {
    const shown = [0, 39.9, 40, 139.9, 140, 199.9, 200, 240].map((at) => frameAt(line, at).index);
    expect(shown).toEqual([0, 0, 1, 1, 2, 2, 0, 1]);
  });

  it("never drifts: after a thousand rounds the same frame is due", () => {
    expect(frameAt(line, 200 * 1000 + 45)).toEqual({ index: 1, over: false });
  });

  it("rests on the last frame when all rounds are played", () => {
    const twice = timeline([40, 100, 60], 2);
    expect(frameAt(twice, 399)).toEqual({ index: 2, over: false });
    expect(frameAt(twice, 400)).toEqual({ index: 2, over: true });
  });

  it("knows where frames start, and copes with none", () => {
    expect([0, 1, 2].map((index) => startOf(line, index))).toEqual([0, 40, 140]);
    expect(frameAt(timeline([], 0), 5)).toEqual({ index: 0, over: true });
  });
});
