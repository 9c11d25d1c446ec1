// What gathering found, how it stands under the recipe, and what can be done about each of it.

import type { Project, Recipe, Report } from "../api/client";
import { sentence } from "../format";
import type { Verdict } from "../ui/controls";

type Problem = Report["problems"][number];
type Gather = Recipe["gather"];

export interface Remedy {
  label: string;
  /** What undo will call it. */
  done: string;
  change: (recipe: Recipe) => Recipe;
}

export interface Finding {
  key: string;
  verdict: Verdict;
  word: string;
  /** For the docket, in few words; empty when it need not be said there. */
  short: string;
  file: string;
  message: string;
  note: string;
  positions: readonly number[];
  remedies: readonly Remedy[];
  /** Whether it has to be looked at before anything is done: it is not put right together with the others. */
  byEye?: boolean;
  /** Whether its first remedy changes pixels: such are applied apart from the others. */
  pixels?: boolean;
}

const withGather = (change: (gather: Gather) => Partial<Gather>) => (recipe: Recipe) => ({
  ...recipe,
  gather: { ...recipe.gather, ...change(recipe.gather) },
});

const union = (some: readonly number[], more: readonly number[]) =>
  [...new Set([...some, ...more])].sort((a, b) => a - b);
const without = (some: readonly number[], less: readonly number[]) =>
  some.filter((position) => !less.includes(position));

export const leaveOutPositions = (positions: readonly number[]) =>
  withGather(({ left_out }) => ({ left_out: union(left_out, positions) }));
export const putBackPositions = (positions: readonly number[]) =>
  withGather(({ left_out }) => ({ left_out: without(left_out, positions) }));

const GAPS = [
  { gaps: "skip", label: "Skip them", done: "Gaps skipped" },
  { gaps: "hold", label: "Hold the previous frame", done: "Gaps held" },
  { gaps: "blend", label: "Blend across the gap", done: "Gaps blended" },
  { gaps: "motion", label: "Move across the gap", done: "Gaps filled by motion" },
] as const;

export function findings(
  project: Pick<Project, "report" | "width" | "height" | "frame_list">,
  recipe: Recipe,
): Finding[] {
  const { problems, missing } = project.report;
  const { gather } = recipe;
  const out = new Set(gather.left_out);
  const held = gather.gaps !== "skip";
  const filled = { skip: "missing", hold: "held", blend: "blended", motion: "filled by motion" }[gather.gaps];
  const found: Finding[] = [];
  const add = (problem: Problem, more: Partial<Finding> & Pick<Finding, "verdict" | "word">) =>
    found.push({
      key: `${problem.kind} ${problem.file} ${found.length}`,
      short: "",
      file: problem.file,
      message: problem.message,
      note: "",
      positions: problem.positions,
      remedies: [],
      ...more,
    });

  const refused = problems.filter((problem) => problem.kind === "unreadable");
  for (const problem of refused)
    add(problem, {
      verdict: held ? "fine" : "look",
      word: "unreadable",
      short: refused[0] === problem ? `${refused.length} unreadable` : "",
      note: `It is not used; the others are. ${sentence(problem.remedy)}.`,
    });

  for (const problem of problems.filter(({ kind }) => kind === "missing"))
    add(problem, {
      verdict: held ? "fine" : "look",
      word: filled,
      short: `${missing.length} ${filled}`,
      note: {
        skip: "The others play on without them.",
        hold: "The frame before each gap stays for as long as the missing ones would.",
        blend: "Blends of the frames around each gap stand in for the missing ones.",
        motion: "What moves between the frames around each gap stands in for the missing ones.",
      }[gather.gaps],
      remedies: GAPS.filter(({ gaps }) => gaps !== gather.gaps).map(({ gaps, label, done }) => ({
        label,
        done,
        change: withGather(() => ({ gaps })),
      })),
    });

  const odd = problems.filter(({ kind }) => kind === "size");
  if (odd[0]) {
    const positions = odd.flatMap((problem) => problem.positions);
    const used = positions.filter((position) => !out.has(position));
    const scaled = gather.sizes === "scale" && used.length > 0;
    const scale: Remedy = {
      label: `Scale to ${project.width} × ${project.height}`,
      done: "Scaled to the others",
      change: withGather(({ left_out }) => ({ sizes: "scale", left_out: without(left_out, positions) })),
    };
    const leave: Remedy = {
      label: "Leave out",
      done: "Other sizes left out",
      change: withGather(({ left_out }) => ({ sizes: "same", left_out: union(left_out, positions) })),
    };
    add(odd[0], {
      key: "size",
      verdict: scaled ? "fine" : used.length > 0 ? "stop" : "look",
      word: scaled ? "scaled" : "size differs",
      short: scaled ? `${used.length} scaled` : `${positions.length} with another size`,
      file: odd.length === 1 ? odd[0].file : "",
      message:
        odd.length === 1
          ? odd[0].message
          : `${odd.length} frames are not ${project.width} × ${project.height} as the others are`,
      note: scaled
        ? "Drawn whole on a canvas of the others’ size."
        : used.length > 0
          ? "Fix this before exporting."
          : "Not used; the others are.",
      positions,
      remedies: scaled ? [leave] : used.length > 0 ? [scale, leave] : [scale],
      pixels: !scaled,
    });
  }

  for (const problem of problems.filter(({ kind }) => kind === "repeated")) {
    const name = (position: number) => project.frame_list[position - 1]?.name ?? `frame ${position}`;
    const kept = problem.positions.filter((position) => !out.has(position));
    const others = problem.positions.filter((position) => out.has(position));
    add(problem, {
      verdict: kept.length === 1 ? "fine" : "look",
      word: kept.length === 1 ? "one is used" : "duplicate number",
      short: kept.length > 1 ? "duplicate number" : "",
      file: "",
      note: kept.length === 1 ? `${name(kept[0] ?? 0)} is used.` : `${kept.length} of them are used.`,
      remedies: (kept.length === 1 ? others : problem.positions).map((position) => ({
        label: `Use ${name(position)}`,
        done: `${name(position)} used`,
        change: withGather(({ left_out }) => ({
          left_out: union(without(left_out, [position]), without(problem.positions, [position])),
        })),
      })),
    });
  }

  for (const problem of problems.filter(({ kind }) => kind === "backwards")) {
    const turned = recipe.rhythm.direction === "reverse";
    const direction = (wish: Recipe["rhythm"]["direction"], label: string): Remedy => ({
      label,
      done: `Direction: ${wish}`,
      change: (so) => ({ ...so, rhythm: { ...so.rhythm, direction: wish } }),
    });
    add(problem, {
      verdict: turned ? "fine" : "look",
      word: turned ? "reversed" : "backwards?",
      short: turned ? "" : "written last to first",
      note: turned ? "It plays from the last frame to the first." : `${sentence(problem.remedy)}.`,
      remedies: [turned ? direction("forward", "Play it forward") : direction("reverse", "Reverse it")],
      byEye: true,
    });
  }

  for (const problem of problems.filter(({ kind }) => kind === "identical")) {
    const folded = problem.positions.every((position) => gather.folded.includes(position));
    add(problem, {
      verdict: "fine",
      word: folded ? "folded" : "held pictures",
      short: folded ? `${problem.positions.length} folded` : "",
      note: folded
        ? "Their time went to the frame before."
        : "They are played as they are, and cost few bytes.",
      remedies: folded
        ? [
            {
              label: "Unfold",
              done: "Held pictures unfolded",
              change: withGather((now) => ({ folded: without(now.folded, problem.positions) })),
            },
          ]
        : [
            {
              label: "Fold into longer delays",
              done: "Held pictures folded",
              change: withGather((now) => ({ folded: union(now.folded, problem.positions) })),
            },
          ],
    });
  }

  for (const problem of problems.filter(({ kind }) => kind === "turn")) {
    const gone = problem.positions.every((position) => out.has(position));
    add(problem, {
      verdict: gone ? "fine" : "look",
      word: gone ? "last left out" : "repeats first",
      short: gone ? "" : "last repeats first",
      note: gone ? "The loop closes without a hold." : "Good for playing once; a loop is smoother without it.",
      remedies: gone
        ? [{ label: "Use it again", done: "Last frame used", change: putBackPositions(problem.positions) }]
        : [
            {
              label: "Leave the last one out",
              done: "Last frame left out",
              change: leaveOutPositions(problem.positions),
            },
          ],
    });
  }

  for (const problem of problems.filter(({ kind }) => kind.endsWith("-rim"))) {
    const rim = problem.kind.replace("-rim", "");
    const colour = rim === "white" ? "#ffffff" : "#000000";
    const gone = gather.over === colour;
    add(problem, {
      verdict: gone ? "fine" : "look",
      pixels: !gone,
      word: gone ? "rim removed" : `${rim} rim`,
      short: gone ? "" : `${rim} rim`,
      note: gone
        ? "Edges have the colour of the art again."
        : "Over another colour such edges show a rim; look at them over the page colour.",
      remedies: gone
        ? [
            {
              label: "Restore the edges",
              done: "Edges restored",
              change: withGather(() => ({ over: null })),
            },
          ]
        : [
            {
              label: `Remove the ${rim}`,
              done: "Rim removed",
              change: withGather(() => ({ over: colour })),
            },
          ],
    });
  }

  for (const problem of problems.filter(({ kind }) => kind === "cut"))
    add(problem, {
      verdict: "look",
      word: "touches edge",
      note: `${sentence(problem.remedy)}, if that is not meant.`,
    });
  for (const problem of problems.filter(({ kind }) => kind === "converted"))
    add(problem, { verdict: "fine", word: "converted" });
  for (const problem of problems.filter(({ kind }) => kind === "stride"))
    add(problem, { verdict: "fine", word: "steps", note: `${sentence(problem.remedy)}.` });
  return found;
}

/** Frames left out that no finding speaks of. */
export function leftOutByHand(found: readonly Finding[], recipe: Recipe): number[] {
  const told = new Set(found.flatMap((finding) => finding.positions));
  return recipe.gather.left_out.filter((position) => !told.has(position));
}

/** What still asks for a decision, and has a remedy. */
export const open = (found: readonly Finding[]) =>
  found.filter(({ verdict, remedies }) => (verdict === "look" || verdict === "stop") && remedies.length > 0);

/** What is open and can be fixed without looking at it first: what changes no pixel, and what does. */
export function fixable(found: readonly Finding[]): { plain: Finding[]; pixels: Finding[] } {
  const asked = open(found).filter(({ byEye }) => !byEye);
  return { plain: asked.filter(({ pixels }) => !pixels), pixels: asked.filter(({ pixels }) => pixels) };
}

/** What fixing does, in words: the first remedy of each. */
export const fixes = (found: readonly Finding[]) => found.flatMap(({ remedies }) => remedies[0]?.label ?? []);

/** The first remedy of each. */
export const fixed = (found: readonly Finding[]) => (recipe: Recipe) =>
  found.reduce((so, finding) => finding.remedies[0]?.change(so) ?? so, recipe);
