import { describe, expect, test } from "vitest";
import cases from "../../tests/core/typed.json";
import { askWhich, isAmbiguous, readColour, readColours, readNumber, readOrder } from "./typed";

describe("what people type is read as the service reads it", () => {
  test.each(cases.numbers as [string, number | null][])("the number %s", (text, number) => {
    expect(readNumber(text)).toBe(number);
  });
  test.each(cases.whole as [string, number | null][])("the whole number %s", (text, number) => {
    expect(readNumber(text, true)).toBe(number);
  });
  test.each(cases.colours as [string, string | null][])("the colour %s", (text, colour) => {
    expect(readColour(text)).toBe(colour);
  });
  test.each(cases.orders as [string, number[] | null][])("the order %s", (text, order) => {
    expect(readOrder(text, 18)).toEqual(order);
  });

  test("colours in a row, each once", () => {
    expect(readColours(" #000,F80  fff ")).toBe("#000000, #ff8800, #ffffff");
    expect(readColours("")).toBe("");
    expect([readColours("#000 #000000"), readColours("#000, red")]).toEqual([null, null]);
  });

  test("what may be thousands or decimals is asked about", () => {
    expect([isAmbiguous("1,000"), isAmbiguous("1.000"), isAmbiguous("1.000", true)]).toEqual([
      true,
      false,
      true,
    ]);
    expect(askWhich("1,000")).toBe("Is it 1000 or 1? Type one of them.");
    expect(askWhich("12,500")).toBe("Is it 12500 or 12.5? Type one of them.");
  });
});
