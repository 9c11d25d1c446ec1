import { describe, expect, it } from "vitest";
import cases from "../../../tests/core/placed.json";
import { cropOf } from "./crop";
import { FRAMING } from "./testing";
import { cornerPulled, lyingIn, placed, widened } from "./placing";

const size = {
  width: 50,
  height: 40,
  fit: "place",
  at: "bottom-right",
  picture: null,
  resample: "auto",
} as const;

describe("a picture on its canvas", () => {
  it("lies where it is said, as large as it is fitted", () => {
    expect(placed(size, 20, 30)).toEqual({ left: 30, top: 10, width: 20, height: 30 });
    expect(placed({ ...size, at: [-3, 7] }, 20, 30)).toEqual({ left: -3, top: 7, width: 20, height: 30 });
    expect(placed({ ...size, fit: "contain", at: "left" }, 20, 30)).toEqual({
      left: 0,
      top: 0,
      width: 27,
      height: 40,
    });
    expect(placed({ ...size, fit: "cover", at: "centre" }, 20, 30)).toEqual({
      left: 0,
      top: -18,
      width: 50,
      height: 75,
    });
    expect(placed({ ...size, fit: "stretch" }, 20, 30)).toBeNull();
    expect(placed({ ...size, height: null }, 20, 30)).toBeNull();
  });

  it("lies where the service lays it", () => {
    for (const [size, source, box] of cases.placed) {
      const [left, top, width, height] = box as number[];
      const [across = 1, down = 1] = source as number[];
      expect(placed({ ...(size as object), resample: "auto" } as never, across, down)).toEqual({
        left,
        top,
        width,
        height,
      });
    }
  });

  it("is cropped where the service crops it", () => {
    for (const [crop, drawn, sides, box] of cases.crops) {
      const [left, top, width, height] = box ?? [];
      const framing = { ...FRAMING, crop, drawn_on: drawn } as never;
      const frames = { width: sides?.[0] ?? 1, height: sides?.[1] ?? 1 };
      expect(cropOf({ framing } as never, { framing: null } as never, frames)).toEqual({
        left,
        top,
        width,
        height,
      });
    }
  });

  it("is pulled by its corners, proportions kept or free, the corner across still", () => {
    const box = { left: 10, top: 20, width: 160, height: 90 };
    expect(cornerPulled(box, "se", 160, 0, 16 / 9)).toEqual({ left: 10, top: 20, width: 320, height: 180 });
    expect(cornerPulled(box, "nw", 80, 45, 16 / 9)).toEqual({ left: 90, top: 65, width: 80, height: 45 });
    expect(cornerPulled(box, "ne", 10, -10, null)).toEqual({ left: 10, top: 10, width: 170, height: 100 });
    expect(cornerPulled(box, "se", -900, -900, 16 / 9)).toEqual({ left: 10, top: 20, width: 1, height: 1 });
    expect(widened(box, -32, 16 / 9)).toEqual({ left: 26, top: 29, width: 128, height: 72 });
    for (const free of [false, true])
      expect(placed(lyingIn({ ...size, fit: "cover" }, box, free), 160, 90)).toEqual(box);
  });
});
