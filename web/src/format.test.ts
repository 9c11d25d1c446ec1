import { expect, it } from "vitest";
import { ago, FLICKS, hundredths, kilobytes, numbersInWords, parseDelay, readRate } from "./format";

it("reads delays with and without their unit", () => {
  for (const text of ["4", "4cs", "40ms", "0.04s", "0,04 s", " 0.04 S ", "2f@50", "1 f @ 25", "1f"])
    expect(parseDelay(text, "25"), text).toBe(FLICKS / 25);
  expect(parseDelay("2f@30000/1001")).toBe((FLICKS / 30000) * 2002);
  for (const wrong of ["", "0", "-1", "4 frames", "99999s", "2f", "2f@0", "2f@fast"])
    expect(parseDelay(wrong), wrong).toBeNull();
});

it("takes rates that the service takes, and no others", () => {
  for (const rate of ["24", "12.5", "24000/1001", "1000"]) expect(readRate(rate)).toBe(rate);
  for (const wrong of ["0", "1001", "24/0", "fast", "1.5/2", "-3"]) expect(readRate(wrong)).toBeNull();
});

it("draws runs of numbers together", () => {
  expect(numbersInWords([2, 4, 6, 7, 9, 11, 12, 13])).toBe("2, 4, 6–7, 9, 11–13");
  expect(numbersInWords([1, 3, 5], 2)).toBe("1, 3 …");
  expect(numbersInWords([])).toBe("");
});

it("writes figures that do not flatter", () => {
  expect(kilobytes(1024 * 1024 + 1)).toBe("1025");
  expect(hundredths(FLICKS / 24)).toBe("4.17");
  expect(ago("2026-01-01T00:00:00", Date.parse("2026-01-01T00:10:00Z"))).toBe("10 min ago");
});
