import { describe, expect, it } from "vitest";
import { batches, nameBy, refusal, tidied } from "./bring";
import { anyOf, wildcard } from "../wildcard";

const limits = {
  most_files: 3,
  most_file_bytes: 100,
  most_import_bytes: 5000,
  most_frame_pixels: 1,
  handoff_folder: null,
};
const sized = (bytes: number) => ({ size: bytes });

describe("a drop", () => {
  it("is refused before anything is sent, with the limit named", () => {
    expect(refusal([], limits)).toContain("no files");
    expect(refusal(Array(4).fill(sized(1)), limits)).toContain(
      "4 files are too many: one import takes up to 3",
    );
    expect(refusal([sized(6000)], limits)).toContain("6 KB are too much: one import takes up to 5 KB");
    expect(refusal([sized(1)], limits)).toBe("");
  });

  it("is sent in batches small in number and in bytes, nothing lost, in order", () => {
    const files = [...Array(40).keys()].map((index) => ({
      file: { size: index === 5 ? 30 * 1024 * 1024 : 1000 },
      index,
    }));
    const sent = batches(files);
    expect(sent.flat()).toEqual(files);
    expect(Math.max(...sent.map((batch) => batch.length))).toBeLessThanOrEqual(64);
    expect(sent.find((batch) => batch.some((file) => file.index === 5))).toHaveLength(1);
  });

  it("is tidied: nothing that systems hide, no more folders than tell the files apart", () => {
    const paths = (...names: string[]) => tidied(names.map((path) => ({ path }))).map(({ path }) => path);
    expect(paths("in/.DS_Store", "in/wave_1.png", "in/Thumbs.db", "in/.git/x")).toEqual(["wave_1.png"]);
    expect(paths("/a/b/walk/1.png", "/a/b/walk/2.png")).toEqual(["1.png", "2.png"]);
    expect(paths("/a/b/walk/1.png", "/a/b/dive/1.png")).toEqual(["walk/1.png", "dive/1.png"]);
    expect(paths("/a/1.png", "/a/b/1.png")).toEqual(["1.png", "b/1.png"]);
  });

  it("is called by its folder, unless that is said of any frames", () => {
    const called = (...names: string[]) => nameBy(tidied(names.map((path) => ({ path })))[0]?.folder);
    expect(called("/show/ferry_wipe_v3/comp_1.png", "/show/ferry_wipe_v3/comp_2.png")).toBe("Ferry wipe v3");
    expect(called("Über Größe/1.png", "Über Größe/2.png")).toBe("Über Größe");
    expect(called("kite/renders/1.png", "kite/renders/2.png")).toBeNull();
    expect(called("2024-05-01/1.png")).toBeNull();
    expect(called("1.png", "2.png")).toBeNull();
  });
});

describe("the filter over names", () => {
  it("knows stars and question marks, and takes all else as it stands", () => {
    const names = ["tern-NE-fly-1.png", "tern-N-fly-1.png", "tern-NE-dive-10.png", "a+b(1).png"];
    const found = (text: string) => names.filter(wildcard(text));
    expect(found("*-NE-*")).toEqual([names[0], names[2]]);
    expect(found("tern-?-*")).toEqual([names[1]]);
    expect(found("dive")).toEqual([names[2]]);
    expect(found("b(1)")).toEqual([names[3]]);
    expect(found("*.PNG")).toHaveLength(4);
    expect(found(" ")).toHaveLength(4);
    const several = (text: string) => [...names, "a, b"].filter(anyOf(text));
    expect(several("dive, tern-?-*,")).toEqual([names[1], names[2]]);
    expect(several("a, b")).toContain("a, b");
    expect(several(" ")).toHaveLength(5);
  });
});
