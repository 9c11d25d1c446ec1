import { describe, expect, it } from "vitest";
import { placeWords, standsOutWords } from "./likeness";

const sides = { width: 580, height: 326 };

describe("what stands out", () => {
  it.each([
    [[0, 0], "top left"],
    [[256, 160], "in the middle"],
    [[544, 320], "bottom right"],
    [[288, 0], "top centre"],
  ] as const)("at %s is named by the ninth it lies in", (place, words) => {
    expect(placeWords(place, sides)).toBe(words);
  });

  it("is told with the frames that are played", () => {
    const out = { blemish: "bands", figure: 2, first: 8, last: 13, at: 9, place: [0, 0] } as const;
    expect(standsOutWords({ ...out, place: [0, 0] }, sides)).toBe("bands, top left, frames 9–14");
    expect(standsOutWords({ ...out, first: 9, last: 9, place: null }, sides)).toBe("bands, frame 10");
  });
});
