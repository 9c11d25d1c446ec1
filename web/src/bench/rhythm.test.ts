import { describe, expect, test } from "vitest";
import { FLICKS } from "../format";
import { added, edgeMoved, pasted, ramped, scaled, timeOf, withoutHolds, type Rhythm } from "./delays";
import {
  doubled,
  emptyAfter,
  inOrder,
  lostBy,
  moved,
  movedBefore,
  orderInWords,
  rearranged,
  reversed,
} from "./order";
import { readOrder } from "../typed";
import { rhythm as plain } from "./testing";

const CS = FLICKS / 100;
const rhythm = (more: Partial<Rhythm> = {}) => plain({ rate: "25", ...more });
const span = { name: "walk", first: 2, last: 3, rate: "10", direction: null, repeat: null };
const times = (one: Rhythm, places: number[]) => places.map((place) => timeOf(one, place) / CS);

describe("delays of many places at once", () => {
  const held = rhythm({ holds: { "4": 20 * CS }, spans: [span] });

  test("what a place lasts comes from its hold, its span, the delay or the rate", () => {
    expect(times(held, [1, 2, 3, 4])).toEqual([4, 10, 10, 20]);
    expect(times(rhythm({ rate: "24000/1001" }), [1])[0]).toBeCloseTo(4.1708, 4);
    expect(times(rhythm({ delay: 7 * CS }), [1])).toEqual([7]);
  });

  test("add, scale, ramp and paste touch the chosen places only", () => {
    expect(times(added(held, [1, 4], -3 * CS, 2 * CS), [1, 2, 4])).toEqual([2, 10, 17]);
    expect(times(scaled(held, [2, 4], 150), [1, 2, 3, 4])).toEqual([4, 15, 10, 30]);
    expect(times(ramped(held, [1, 2, 3, 4], 4 * CS, 16 * CS, "even"), [1, 2, 3, 4])).toEqual([4, 8, 12, 16]);
    for (const easing of ["in", "out", "both"] as const)
      expect(times(ramped(held, [1, 2, 3], 4 * CS, 16 * CS, easing), [1, 3])).toEqual([4, 16]);
    expect(times(pasted(held, [1, 2, 3], [5 * CS, 9 * CS]), [1, 2, 3])).toEqual([5, 9, 5]);
    expect(times(withoutHolds(held, [4]), [4])).toEqual([4]);
  });

  test("an edge moved with its neighbour keeps the total and the floor", () => {
    const even = rhythm();
    expect(times(edgeMoved(even, 1, 2, 1 * CS, 2 * CS), [1, 2])).toEqual([5, 3]);
    expect(times(edgeMoved(even, 1, 2, 9 * CS, 2 * CS), [1, 2])).toEqual([6, 2]);
    expect(times(edgeMoved(even, 1, 2, -9 * CS, 2 * CS), [1, 2])).toEqual([2, 6]);
  });

  test("under a set length what plays is what is changed, and delays set by hand are what they are", () => {
    const shared = rhythm({ length: FLICKS, holds: { "2": 20 * CS } });
    const shown = (one: Rhythm) => [1, 2].map((place) => timeOf(one, place, 2) / CS);
    expect(shown(shared)).toEqual([8, 20]);
    expect(shown(added(shared, [1, 2], CS, CS, 2))).toEqual([9, 21]);
    expect(shown(scaled(shared, [1], 50, 2))).toEqual([4, 20]);
    expect(shown(edgeMoved(shared, 1, 2, 3 * CS, CS, 2))).toEqual([11, 17]);
  });
});

describe("the order made by hand", () => {
  const before = rhythm({ holds: { "2": 20 * CS }, first: 2, last: 4, spans: [span] });

  test("holds, range and spans go with their frames", () => {
    const shifted = rearranged(before, 5, moved(5, [2], 2).from);
    expect(shifted.order).toEqual([1, 3, 4, 2, 5]);
    expect(shifted.holds).toEqual({ "4": 20 * CS });
    expect([shifted.first, shifted.last]).toEqual([2, 4]);
    expect([shifted.spans[0]?.first, shifted.spans[0]?.last]).toEqual([2, 4]);
    expect(rearranged(shifted, 5, moved(5, [4], -2).from).order).toBeNull(); // its natural order again
  });

  test("reverse, double and empty", () => {
    expect(reversed(5, [2, 3, 4])).toEqual([1, 4, 3, 2, 5]);
    expect(doubled(4, [2, 3])).toEqual([1, 2, 3, 2, 3, 4]);
    const empty = rearranged(before, 5, emptyAfter(5, 2));
    expect(empty.order).toEqual([1, 2, 0, 3, 4, 5]);
    expect([empty.first, empty.last]).toEqual([2, 5]);
    expect(movedBefore(5, [1, 2], 5)).toEqual({ from: [3, 4, 1, 2, 5], to: [3, 4] });
    expect(movedBefore(5, [4, 5], 1)).toEqual({ from: [4, 5, 1, 2, 3], to: [1, 2] });
    expect(movedBefore(5, [2], 2).from).toEqual([1, 2, 3, 4, 5]);
    expect(moved(4, [3, 4], 5)).toEqual({ from: [1, 2, 3, 4], to: [3, 4] });
  });

  test("an order is typed as people write it, and written in few words", () => {
    for (const order of [[1, 2, 3, 4, 2, 0, 5, 4, 3], [1, 2], [3, 2, 1, 0], [0, 1, 2], [2]])
      expect(readOrder(orderInWords(order), 5)).toEqual(order);
    expect(orderInWords([1, 2, 3, 4, 2, 0, 5, 4, 3])).toBe("1-4, 2, 0, 5-3");
    expect(lostBy(before, 5, [1, 4, 5])).toEqual(["frames 2–3", "1 delay set by hand", "the span walk"]);
    expect(lostBy(before, 5, [5, 4, 3, 2, 1, 0])).toEqual([]);
    const typed = inOrder(before, 5, [2, 2, 0, 1]);
    expect(typed.order).toEqual([2, 2, 0, 1]);
    expect(typed.holds).toEqual({ "1": 20 * CS, "2": 20 * CS });
  });
});
