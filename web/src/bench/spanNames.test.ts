import { describe, expect, it } from "vitest";
import type { Output } from "../api/client";
import { withSpanNamed } from "./spanNames";

const sheet = {
  format: "sheet",
  take: { spans: [] },
  row_order: ["walk", "idle"],
  anchors: [
    { span: "idle", frames: [], at: [0.5, 1] },
    { span: null, frames: [3], at: [0, 0] },
  ],
} as unknown as Extract<Output, { format: "sheet" }>;

describe("a span", () => {
  it("is renamed wherever an output names it", () => {
    expect(withSpanNamed(sheet, "idle", "rest")).toMatchObject({
      row_order: ["walk", "rest"],
      anchors: [{ span: "rest" }, { frames: [3] }],
    });
    const gif = { format: "gif", take: { spans: ["walk", "idle"] } } as unknown as Output;
    expect(withSpanNamed(gif, "idle", "rest").take.spans).toEqual(["walk", "rest"]);
    expect(withSpanNamed(gif, "walk", null).take.spans).toEqual(["idle"]);
  });

  it("that goes leaves nothing behind, and others are not touched", () => {
    expect(withSpanNamed(sheet, "idle", null)).toMatchObject({
      row_order: ["walk"],
      anchors: [{ frames: [3] }],
    });
    expect(withSpanNamed(sheet, "fly", null)).toBe(sheet);
  });
});
