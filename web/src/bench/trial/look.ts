// How trials are looked at: which two, how, and a blind comparison under way. Kept for this window over a reload.

import { create } from "zustand";
import type { TrialInfo } from "../../api/client";

export type Mode = "beside" | "wipe" | "blind";
export type Side = "left" | "right";

interface Look {
  open: boolean;
  /** The output they are of: those of another begin anew. */
  of: string;
  left: number | null;
  right: number | null;
  /** What the pointer is on, played on the right meanwhile. */
  pointed: number | null;
  mode: Mode;
}

const KEY = "jayflick-trials";

function recalled(): Partial<Look> {
  try {
    return JSON.parse(sessionStorage.getItem(KEY) ?? "{}") as Partial<Look>;
  } catch {
    return {};
  }
}

export const useTrialLook = create<Look>(() => ({
  ...{ open: false, of: "", left: null, right: null, mode: "beside" },
  ...recalled(),
  pointed: null,
}));

useTrialLook.subscribe(({ open, of, left, right, mode }) => {
  sessionStorage.setItem(KEY, JSON.stringify({ open, of, left, right, mode }));
});

export const toggleTrials = () => useTrialLook.setState(({ open }) => ({ open: !open, pointed: null }));

/** Look at trials of an output. */
export const lookAt = (of: string, sides: Partial<Record<Side, number>>) =>
  useTrialLook.setState((state) => ({
    ...(state.of === of ? {} : { left: null, right: null }),
    ...sides,
    ...{ of, pointed: null, open: true },
  }));

/**
 * The two that are looked at: those that were chosen, if they are there; otherwise the one in use, and beside it the
 * newest other that shows the same.
 */
export function pairOf(
  trials: readonly TrialInfo[],
  chosen: { left: number | null; right: number | null },
  used: TrialInfo | undefined,
): { left: TrialInfo | undefined; right: TrialInfo | undefined } {
  const of = (id: number | null) => trials.find((trial) => trial.id === id);
  const left = of(chosen.left) ?? used ?? trials.at(-1);
  const right =
    of(chosen.right) ??
    trials.findLast((trial) => trial.id !== left?.id && trial.sources === left?.sources) ??
    trials.findLast((trial) => trial.id !== left?.id);
  return { left, right };
}

/** Which step of one each step of another is shown with: one by one where there are as many, otherwise by time. */
export function stepsBeside(ends: readonly number[], delays: readonly number[]): number[] {
  if (ends.length === delays.length) return delays.map((_, step) => step);
  const total = delays.reduce((sum, delay) => sum + delay, 0);
  const others: number[] = [];
  delays.reduce((sum, delay) => {
    others.push(sum + delay);
    return sum + delay;
  }, 0);
  let begin = 0;
  return ends.map((end) => {
    const middle = total > 0 ? ((begin + end) / 2) % total : 0;
    begin = end;
    const step = others.findIndex((other) => other > middle);
    return step < 0 ? Math.max(delays.length - 1, 0) : step;
  });
}

/** A blind comparison: what was answered so far, and which of the two lies on the left now. */
export interface Blind {
  flipped: boolean;
  /** Of each round which was better; null: that cannot be told. */
  answers: readonly (Side | null)[];
  over: boolean;
}

/** The next round; `flip`: a number from 0 to 1, by chance. */
export const nextRound = (blind: Blind, better: Side | null, flip: number): Blind => ({
  answers: [...blind.answers, better && blind.flipped ? (better === "left" ? "right" : "left") : better],
  flipped: flip < 0.5,
  over: false,
});

/** What came of it, in words; trials are called by their numbers. */
export function outcome({ answers }: Blind, left: TrialInfo, right: TrialInfo): string {
  const of = (side: Side) => answers.filter((one) => one === side).length;
  const [ours, theirs, none] = [of("left"), of("right"), answers.length - of("left") - of("right")];
  const undecided = none > 0 ? `, ${none} undecided` : "";
  if (ours === theirs) return `tied after ${answers.length}${undecided}`;
  const [won, times] = ours > theirs ? [left, ours] : [right, theirs];
  return `${won.number} preferred in ${times} of ${answers.length}${undecided}`;
}
