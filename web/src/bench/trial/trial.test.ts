import { describe, expect, it } from "vitest";
import type { TrialInfo } from "../../api/client";
import { nextRound, outcome, pairOf, stepsBeside, type Blind, type Side } from "./look";
import { placesOf } from "./places";
import { frontierOf, ticksOf, type Measured } from "./Plot";

const trial = (id: number, more: Partial<TrialInfo> = {}) =>
  ({ id, number: id, sources: "a", bytes: 100 * id, error: 1 / id, ...more }) as unknown as Measured;

describe("trials beside each other", () => {
  it("are the one in use and the newest other that shows the same", () => {
    const trials = [trial(1), trial(2), trial(3), trial(4, { sources: "b" })];
    const sides = (left: number | null, right: number | null, used?: TrialInfo) => {
      const pair = pairOf(trials, { left, right }, used);
      return [pair.left?.id, pair.right?.id];
    };
    expect(sides(null, null, trials[0])).toEqual([1, 3]);
    expect(sides(null, null, trials[2])).toEqual([3, 2]);
    expect(sides(4, 1, trials[2])).toEqual([4, 1]);
    expect(sides(99, 98, trials[0])).toEqual([1, 3]);
    expect(pairOf([], { left: null, right: null }, undefined)).toEqual({ left: undefined, right: undefined });
    expect(pairOf([trial(1)], { left: null, right: null }, undefined).right).toBeUndefined();
  });

  it("go in step, one by one where there are as many, by time where there are not", () => {
    expect(stepsBeside([40, 80, 120], [40, 40, 40])).toEqual([0, 1, 2]);
    expect(stepsBeside([40, 80, 120], [10, 10, 500])).toEqual([0, 1, 2]);
    expect(stepsBeside([40, 80, 120, 160], [80, 80])).toEqual([0, 0, 1, 1]);
    expect(stepsBeside([80, 160], [40, 40, 40, 40])).toEqual([1, 3]);
    expect(stepsBeside([100, 200, 300], [100])).toEqual([0, 0, 0]);
    expect(stepsBeside([100], [])).toEqual([0]);
  });
});

describe("a blind comparison", () => {
  const play = (rounds: [Side | null, number][], flipped: boolean) =>
    rounds.reduce<Blind>((so, [better, flip]) => nextRound(so, better, flip), {
      flipped,
      answers: [],
      over: false,
    });

  it("counts for the trial, wherever it lay", () => {
    const blind = play(
      [
        ["left", 0.9],
        ["left", 0.1],
        ["right", 0.9],
        [null, 0.9],
      ],
      true,
    );
    // Flipped first: what lay left was the right one; then not; then flipped again.
    expect(blind.answers).toEqual(["right", "left", "left", null]);
    expect(outcome(blind, trial(7), trial(9))).toBe("7 preferred in 2 of 4, 1 undecided");
    expect(outcome({ ...blind, answers: ["left", "right"] }, trial(7), trial(9))).toBe("tied after 2");
  });
});

describe("the plot", () => {
  it("has on its frontier what no other is both smaller and better than", () => {
    const some = [trial(1), trial(2), trial(3, { error: 0.9 }), trial(4, { bytes: 200, error: 0.4 })];
    expect(frontierOf(some).map(({ id }) => id)).toEqual([1, 4]);
  });

  it("has round sizes along its foot", () => {
    expect(ticksOf([600 * 1024, 1150 * 1024]).map((bytes) => bytes / 1024)).toEqual([600, 700, 800, 900, 1000]);
    expect(ticksOf([1000, 10_000_000]).map((bytes) => bytes / 1024)).toEqual([
      ...[1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000],
    ]);
  });
});

describe("other formats", () => {
  it("are told by the trial that is most like the output as it was, the smallest first", () => {
    const as = (id: number, output: object, error: number) => trial(id, { output: { ...output }, error });
    const made = [
      as(1, { format: "gif" }, 0.02),
      as(9, { format: "webp" }, 0.05),
      as(3, { format: "webp" }, 0.021),
      as(2, { format: "video", codec: "h264" }, 0.019),
    ];
    expect(placesOf(made).map(({ trial: { id }, title }) => [id, title])).toEqual([
      [2, "MP4"],
      [3, "WebP"],
    ]);
    expect(placesOf([])).toEqual([]);
  });
});
