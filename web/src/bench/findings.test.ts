import { describe, expect, it } from "vitest";
import type { Project, Recipe } from "../api/client";
import { cellsOf } from "./contact";
import { arranged } from "./order";
import { rhythm } from "./testing";
import { findings, fixable, fixed, fixes, leftOutByHand, open } from "./findings";

const problem = (kind: string, positions: number[], file = "") => ({
  kind,
  file,
  message: `about ${kind}`,
  remedy: "do this",
  positions,
});

const numbers = [1, 2, 5, 5, 6, 7];
const project = {
  width: 48,
  height: 32,
  frame_list: numbers.map((number, index) => ({
    position: index + 1,
    number,
    name: `wave_${number}${index}.png`,
  })),
  report: {
    missing: [3, 4],
    problems: [
      problem("unreadable", [], "wave_3.png"),
      problem("missing", []),
      problem("size", [2], "wave_2.png"),
      problem("repeated", [3, 4]),
      problem("identical", [5]),
      problem("turn", [6], "wave_7.png"),
      problem("cut", [1]),
      problem("converted", []),
    ],
  },
} as unknown as Project;

const recipe = {
  gather: { left_out: [2, 4], folded: [], gaps: "skip", sizes: "same" },
} as unknown as Recipe;

const word = (kind: number, under: Recipe) => findings(project, under)[kind]?.word;

describe("what gathering found", () => {
  it("stands as the recipe says, each with its remedy", () => {
    const found = findings(project, recipe);
    expect(found.map(({ verdict, word }) => `${verdict} ${word}`)).toEqual([
      "look unreadable",
      "look missing",
      "look size differs",
      "fine one is used",
      "fine held pictures",
      "look repeats first",
      "look touches edge",
      "fine converted",
    ]);
    expect(found.map(({ short }) => short).filter(Boolean)).toEqual([
      "1 unreadable",
      "2 missing",
      "1 with another size",
      "last repeats first",
    ]);
    const more = { ...recipe, gather: { ...recipe.gather, left_out: [2, 4, 7] } };
    expect(leftOutByHand(found, more)).toEqual([7]);
  });

  it("is put right by one action, and nothing is left to decide", () => {
    const { plain, pixels } = fixable(findings(project, recipe));
    expect(fixes(pixels)).toEqual(["Scale to 48 × 32"]);
    const right = fixed([...plain, ...pixels])(recipe);
    expect(right.gather).toEqual({ left_out: [4, 6], folded: [], gaps: "hold", sizes: "scale" });
    expect(open(findings(project, right))).toEqual([]);
  });

  it("gives each remedy its way back", () => {
    for (const kind of [1, 2, 4, 5]) {
      const there = findings(project, recipe)[kind]?.remedies[0]?.change(recipe) ?? recipe;
      const back = findings(project, there)[kind]?.remedies[0]?.change(there) ?? there;
      expect(word(kind, there)).not.toBe(word(kind, recipe));
      expect(back).toEqual(recipe);
    }
  });

  it("lets the other of two frames with one number be used instead", () => {
    const change = findings(project, recipe)[3]?.remedies[0]?.change;
    expect(change?.(recipe).gather.left_out).toEqual([2, 3]);
  });
});

describe("the contact view", () => {
  it("draws a run of missing numbers as one gap", () => {
    const order = arranged(rhythm(), project.frame_list.length);
    const drawn = (parts: Project["report"]["parts"]) =>
      cellsOf(project.frame_list, parts, order).map((cell) =>
        cell.kind === "gap" ? `${cell.from}–${cell.to}` : cell.number,
      );
    expect(drawn([])).toEqual([1, 2, "3–4", 5, 5, 6, 7]);
    const parts = [
      { pattern: "walk_#.png", labels: [], first: 1, last: 2 },
      { pattern: "dive_#.png", labels: [], first: 3, last: 6 },
    ];
    expect(drawn(parts)).toEqual([1, 2, 5, 5, 6, 7]);
  });
});
