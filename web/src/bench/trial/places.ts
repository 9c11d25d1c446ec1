// Formats that an output could have instead, and where each plays.

import type { Output, TrialInfo } from "../../api/client";
import { viewOf } from "../formats/table";

/** From memory, as browsers stood in 2025; common practice, no published source. */
const PLAYS: Record<string, readonly [short: string, whole: string]> = {
  GIF: ["anywhere", "anywhere"],
  APNG: ["browsers", "in browsers since 2020"],
  WebP: ["browsers", "in browsers since 2020, in many posts"],
  AVIF: ["newer browsers", "in browsers since 2023"],
  MP4: ["browsers, posts", "in browsers and posts, without alpha"],
  WebM: ["browsers", "in browsers; its alpha not in Safari"],
};

export interface InFormat {
  trial: TrialInfo;
  title: string;
  plays: readonly [short: string, whole: string];
}

/** Of each other format that was tried the trial that is most like the first, which is as the output was. */
export function placesOf([first, ...others]: readonly TrialInfo[]): InFormat[] {
  if (!first) return [];
  const far = (one: TrialInfo) => Math.abs((one.error ?? 1) - (first.error ?? 0));
  const found = new Map<string, TrialInfo>();
  for (const trial of others) {
    const output = trial.output as unknown as Output;
    const title = viewOf(output).title(output);
    const known = found.get(title);
    if (!known || far(trial) < far(known)) found.set(title, trial);
  }
  return [...found]
    .map(([title, trial]) => ({ trial, title, plays: PLAYS[title] ?? ["", ""] }))
    .sort((one, two) => one.trial.bytes - two.trial.bytes);
}
