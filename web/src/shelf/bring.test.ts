import { describe, expect, it } from "vitest";
import { batches, refusal, withoutHidden } from "./bring";

const limits = { most_files: 3, most_file_bytes: 100, most_import_bytes: 5000, most_frame_pixels: 1 };
const sized = (bytes: number) => ({ size: bytes });

describe("a drop", () => {
  it("is refused before anything is sent, with the limit named", () => {
    expect(refusal([], limits)).toContain("no files");
    expect(refusal(Array(4).fill(sized(1)), limits)).toContain("4 files are more than the 3");
    expect(refusal([sized(6000)], limits)).toContain("6 KB are more than the 5 KB");
    expect(refusal([sized(1)], limits)).toBe("");
  });

  it("is sent in batches small in number and in bytes, nothing lost, in order", () => {
    const files = [...Array(40).keys()].map((index) => ({
      size: index === 5 ? 30 * 1024 * 1024 : 1000,
      index,
    }));
    const sent = batches(files);
    expect(sent.flat()).toEqual(files);
    expect(Math.max(...sent.map((batch) => batch.length))).toBeLessThanOrEqual(16);
    expect(sent.find((batch) => batch.some((file) => file.index === 5))).toHaveLength(1);
  });

  it("leaves out what systems hide in folders", () => {
    const names = [".DS_Store", "wave_1.png", "Thumbs.db", "desktop.ini"].map((name) => new File([], name));
    expect(withoutHidden(names).map((file) => file.name)).toEqual(["wave_1.png"]);
  });
});
