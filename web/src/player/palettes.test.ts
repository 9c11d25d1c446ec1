import { expect, test } from "vitest";
import { palettesOf } from "./palettes";

// Two pictures of 1 × 1: what a table holds, and where it stands, by GIF89a, sections 17 to 22.
const head = (flags: number) => [0x47, 0x49, 0x46, 0x38, 0x39, 0x61].concat(1, 0, 1, 0, flags, 0, 0);
const BLACK_AND_RED = [0, 0, 0, 255, 0, 0];
const GREY_AND_BLUE = [9, 9, 9, 0, 0, 255];
const control = [0x21, 0xf9, 4, 0, 0, 0, 0, 0];
const picture = (own: number[] = []) => [
  ...control,
  ...[0x2c, 0, 0, 0, 0, 1, 0, 1, 0, own.length ? 0x80 : 0, ...own],
  ...[2, 2, 0x44, 1, 0],
];
const black = "rgb(0 0 0)";
const red = "rgb(255 0 0)";
const [grey, blue] = ["rgb(9 9 9)", "rgb(0 0 255)"];

test("one palette for all pictures", () => {
  const file = [...head(0x80), ...BLACK_AND_RED, ...picture(), ...picture(), 0x3b];
  expect(palettesOf(Uint8Array.from(file))).toEqual([[black, red]]);
});

test("one a picture where any has its own", () => {
  const mixed = [...head(0x80), ...BLACK_AND_RED, ...picture(), ...picture(GREY_AND_BLUE), 0x3b];
  expect(palettesOf(Uint8Array.from(mixed))).toEqual([
    [black, red],
    [grey, blue],
  ]);
  const none = [...head(0), ...picture(BLACK_AND_RED), ...picture(GREY_AND_BLUE), 0x3b];
  expect(palettesOf(Uint8Array.from(none))).toEqual([
    [black, red],
    [grey, blue],
  ]);
});

test("what a picture leaves unchanged is no colour of its table", () => {
  const marked = [0x21, 0xf9, 4, 1, 0, 0, 1, 0, ...picture(BLACK_AND_RED).slice(control.length)];
  expect(palettesOf(Uint8Array.from([...head(0), ...marked, 0x3b]))).toEqual([[black]]);
});

test("a shared table ends at the transparent index, or where it is filled up", () => {
  const filled = [...BLACK_AND_RED, ...[7, 7, 7], 0, 0, 0];
  const marked = (index: number) => [0x21, 0xf9, 4, 1, 0, 0, index, 0, ...picture().slice(control.length)];
  const shared = (pictures: number[]) =>
    palettesOf(Uint8Array.from([...head(0x81), ...filled, ...pictures, 0x3b]));
  expect(shared([...picture(), ...picture()])).toEqual([[black, red, "rgb(7 7 7)"]]);
  expect(shared([...picture(), ...marked(2)])).toEqual([[black, red]]);
  expect(shared(marked(0))).toEqual([[]]);
});

test("a file that ends too soon is no endless loop", () => {
  const whole = [...head(0x80), ...BLACK_AND_RED, ...picture(), ...picture(GREY_AND_BLUE)];
  for (let length = 0; length < whole.length; length += 1) palettesOf(Uint8Array.from(whole.slice(0, length)));
});
