import { describe, expect, test } from "vitest";
import { fileNumbers, numbersOf, placeOf, readNumbers } from "./numbers";

const files = (...numbers: (number | null)[]) => fileNumbers(numbers.map((number) => ({ number })));

describe("frames counted by the numbers in their names", () => {
  test("only where they tell every frame from all others, in order", () => {
    for (const none of [files(), files(3, null), files(2, 2), files(2, 1), files(5, 100_000)])
      expect(none).toBeNull();
    expect(fileNumbers([{ number: 1 }], 2)).toBeNull();
    expect(files(0, 7, 99_999)?.all).toEqual([0, 7, 99_999]);
  });

  test.each([
    ["12-15", [1, 2, 3], [14]],
    ["15-12 by 3, blank, 12", [3, 1, 0, 1], []],
    ["blank blank", [0, 0], []],
    ["0, 13", [0, 2], []],
    ["1-3, 13", [2], [1, 2, 3]],
    ["1-3", null, []],
    ["13, soon", null, []],
    ["", null, []],
  ] as [string, number[] | null, number[]][])("%s", (text, order, without) => {
    const numbers = files(12, 13, 15);
    expect(numbers && readNumbers(text, numbers)).toEqual(order && { order, without });
  });

  test("a file of number 0 is no blank", () => {
    const numbers = files(0, 1, 2);
    expect(numbers && readNumbers("0-2 blank 2-0", numbers)?.order).toEqual([1, 2, 3, 0, 3, 2, 1]);
  });

  test("what is written is read as it was, over first numbers, gaps and blanks", () => {
    for (const first of [0, 1, 7, 1001])
      for (const gap of [1, 3])
        for (const order of [
          [1, 2, 3, 4],
          [4, 3, 2, 1, 0],
          [0, 1, 0, 0, 2],
          [2, 2, 4, 3, 2],
        ]) {
          const numbers = files(first, first + gap, first + 2 * gap, first + 2 * gap + 1);
          expect(numbers && readNumbers(numbersOf(order, numbers), numbers)).toEqual({ order, without: [] });
        }
  });

  test("a range that is given in numbers has the frames within it", () => {
    const numbers = files(10, 20, 30);
    const ends = (at: number) => numbers && [placeOf(numbers, at, "first"), placeOf(numbers, at, "last")];
    expect([ends(10), ends(15), ends(30), ends(25)]).toEqual([
      [1, 1],
      [2, 1],
      [3, 3],
      [3, 2],
    ]);
  });
});
