import { describe, expect, it } from "vitest";
import type { Output, SearchInfo, TrialInfo } from "../api/client";
import { isAllowed, mayChange, runnersUp, setAs, settingsOf } from "./trials";

const gif = {
  format: "gif",
  id: "page",
  name: "Page loop",
  file_name: "pier.gif",
  target: { name: "post" },
  size: { width: 200 },
  take: { rate: null },
  framing: null,
  tuning: { loss: 30, colours: 64, dither: "none" },
} as unknown as Output;

const trial = (output: Record<string, unknown>, more: Partial<TrialInfo> = {}) =>
  ({
    id: 1,
    format: output.format ?? "gif",
    sources: "a",
    bytes: 1000,
    error: 0.01,
    stands_out: null,
    output: { file_name: "was.gif", format: "gif", ...output },
    ...more,
  }) as unknown as TrialInfo;

describe("an output set as a trial was", () => {
  const spent = { tuning: { loss: 10 }, size: { width: 100 }, take: { rate: "12" }, framing: null };

  it("keeps its names, its target and what it shows", () => {
    expect(setAs(gif, trial(spent), true)).toMatchObject({
      ...{ id: "page", name: "Page loop", file_name: "pier.gif", target: { name: "post" } },
      ...{ tuning: { loss: 10 }, size: { width: 200 }, take: { rate: null } },
    });
  });

  it("shows what the trial showed where that was something else", () => {
    expect(setAs(gif, trial(spent), false)).toMatchObject({ size: { width: 100 }, take: { rate: "12" } });
  });

  it("in another format has another ending, and nothing of the old one", () => {
    const webp = setAs(gif, trial({ format: "webp", file_name: "was.webp", quality: 60 }), true);
    expect(webp).toMatchObject({ format: "webp", file_name: "pier.webp", quality: 60, size: { width: 200 } });
    expect(webp).not.toHaveProperty("tuning");
  });
});

describe("what a trial sets", () => {
  it("is told by what another does not", () => {
    const one = trial({ tuning: { loss: 30, colours: 64, dither: "none" } });
    const two = trial({ tuning: { loss: 40, colours: 64, dither: "diffusion" } }, { id: 2 });
    expect(settingsOf(two, one)).toBe("loss 40, diffused");
    expect(settingsOf(one, one)).toBe("as it is");
    expect(settingsOf(trial({ format: "webp", quality: 60 }), one)).toBe("WebP, quality 60");
  });
});

describe("runners-up", () => {
  const best = trial({}, { id: 1, bytes: 900, error: 0.02 });
  const search = (some: TrialInfo[]) =>
    ({ trials: some.map(({ id }) => id), best: 1, most: 1000 }) as unknown as SearchInfo;

  it("are smaller, larger, and without what stands out", () => {
    const seen = { ...best, stands_out: { blemish: "bands" } } as unknown as TrialInfo;
    const some = [
      seen,
      trial({}, { id: 2, bytes: 700, error: 0.025 }),
      trial({}, { id: 3, bytes: 1100, error: 0.015 }),
      trial({}, { id: 4, bytes: 950, error: 0.03 }),
      trial({}, { id: 5, bytes: 300, error: 0.2 }),
      trial({}, { id: 6, bytes: 1500, error: 0.01, sources: "b" }),
    ];
    expect(runnersUp(search(some), some).map(({ trial: { id }, words }) => [id, words])).toEqual([
      [2, "22 % smaller, SSIM −0.0050"],
      [3, "22 % larger, SSIM +0.0050"],
    ]);
    const without = some.filter(({ id }) => id !== 2);
    expect(runnersUp(search(without), without).map(({ trial: { id } }) => id)).toEqual([3, 4]);
  });

  it("are none where nothing fits", () => {
    expect(runnersUp({ ...search([best]), best: null }, [best])).toEqual([]);
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
