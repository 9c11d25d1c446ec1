import { describe, expect, it } from "vitest";
import { placed } from "./placing";

const size = { width: 50, height: 40, fit: "place", at: "bottom-right", resample: "auto" } as const;

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
});
