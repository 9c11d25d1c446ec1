import { expect, test } from "vitest";
import { valueBy } from "./slider";

test("a slider's keys step, turn pages and reach its ends, and go no further", () => {
  const by = (key: string, value: number) => valueBy(key, { value, min: 1, max: 48, step: 1, page: 10 });
  const keys = ["ArrowLeft", "ArrowDown", "ArrowRight", "ArrowUp", "PageDown", "PageUp", "Home", "End"];
  expect(keys.map((key) => by(key, 20))).toEqual([19, 19, 21, 21, 10, 30, 1, 48]);
  expect(keys.map((key) => by(key, 1))).toEqual([1, 1, 2, 2, 1, 11, 1, 48]);
  expect(keys.map((key) => by(key, 48))).toEqual([47, 47, 48, 48, 38, 48, 1, 48]);
  expect(by("Enter", 20)).toBeNull();
});
