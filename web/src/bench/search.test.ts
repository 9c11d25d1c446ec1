import { describe, expect, it } from "vitest";
import type { Output, TrialInfo } from "../api/client";
import { isAllowed, isSet, mayChange } from "./search";

const gif = { format: "gif", tuning: { loss: 30, colours: 64 }, size: { width: 200 } } as unknown as Output;
const trial = (...settings: [string, unknown][]) =>
  ({
    settings: settings.map(([path, value]) => ({ path: ["output", ...path.split(".")], value })),
  }) as unknown as TrialInfo;

describe("a trial", () => {
  it("is in use where all that it set is set", () => {
    expect(isSet(gif, trial(["tuning.loss", 30], ["size.width", 200]))).toBe(true);
    expect(isSet(gif, trial(["tuning.loss", 31]))).toBe(false);
    expect(isSet(gif, trial(["quality", 50]))).toBe(false);
    expect(isSet(gif, trial(["size.picture.percent", 50]))).toBe(false);
    expect(isSet(gif, trial())).toBe(true);
  });
});

describe("what may change", () => {
  it("is all but size and rate, unless it is said by hand", () => {
    expect(mayChange(gif).filter((one) => isAllowed({}, one))).not.toContain("size");
    expect(isAllowed({ size: true }, "size")).toBe(true);
    expect(isAllowed({ loss: false }, "loss")).toBe(false);
  });

  it("is nothing but size and rate where nothing is lost", () => {
    expect(mayChange({ format: "webp", lossless: true } as Output)).toEqual(["size", "rate"]);
    expect(mayChange({ format: "sheet" } as Output)).toEqual([]);
  });
});
