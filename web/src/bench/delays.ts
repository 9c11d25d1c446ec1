// How long frames last: what is done to the delays of many places at once.

import type { Recipe } from "../api/client";
import { FLICKS } from "../format";

export type Rhythm = Recipe["rhythm"];
export type Easing = "even" | "in" | "out" | "both";

const LONGEST = 3600 * FLICKS;
export const CENTISECOND = FLICKS / 100;
/** The shortest delay that viewers of a GIF play as written. */
export const FLOOR = 2 * CENTISECOND;
const EASE: Record<Easing, (t: number) => number> = {
  even: (t) => t,
  in: (t) => t * t,
  out: (t) => t * (2 - t),
  both: (t) => t * t * (3 - 2 * t),
};

/** What a rate makes of one frame, in flicks; rates are numbers, decimals or fractions. */
export function perFrame(rate: string): number {
  const [over = "24", under = "1"] = rate.split("/");
  return (FLICKS * Number(under)) / Number(over);
}

/**
 * What the frame in a place lasts, in flicks, before a speed is applied. Where a length is set, delays set by hand
 * are what they are and the others share the rest: `share` is what that makes of each.
 */
export function timeOf(rhythm: Rhythm, place: number, share = 1): number {
  const own = rhythm.spans.find(
    (span) => span.rate !== null && span.first <= place && place <= span.last,
  )?.rate;
  const usual = own ? perFrame(own) : (rhythm.delay ?? perFrame(rhythm.rate));
  return rhythm.holds[String(place)] ?? usual * share;
}

/** The rhythm with new times, in flicks, for some places. */
export function withTimes(
  rhythm: Rhythm,
  places: readonly number[],
  time: (place: number, index: number) => number,
): Rhythm {
  const holds = { ...rhythm.holds };
  places.forEach((place, index) => {
    holds[String(place)] = Math.min(LONGEST, Math.max(1, Math.round(time(place, index))));
  });
  return { ...rhythm, holds };
}

/** The rhythm with some places, or all, back at what the rate gives them. */
export function withoutHolds(rhythm: Rhythm, places: readonly number[]): Rhythm {
  const gone = new Set(places.map(String));
  return {
    ...rhythm,
    holds: Object.fromEntries(Object.entries(rhythm.holds).filter(([key]) => !gone.has(key))),
  };
}

export const added = (rhythm: Rhythm, places: readonly number[], by: number, least: number, share = 1) =>
  withTimes(rhythm, places, (place) => Math.max(least, timeOf(rhythm, place, share) + by));

export const scaled = (rhythm: Rhythm, places: readonly number[], percent: number, share = 1) =>
  withTimes(rhythm, places, (place) => (timeOf(rhythm, place, share) * percent) / 100);

/** From one time to another over the places, both ends met exactly. */
export const ramped = (rhythm: Rhythm, places: readonly number[], from: number, to: number, easing: Easing) =>
  withTimes(rhythm, places, (_, index) => {
    const t = places.length > 1 ? index / (places.length - 1) : 1;
    return from + (to - from) * EASE[easing](t);
  });

/** Copied times laid over the places, over and over when there are more of these. */
export const pasted = (rhythm: Rhythm, places: readonly number[], times: readonly number[]) =>
  times.length === 0
    ? rhythm
    : withTimes(rhythm, places, (_, index) => times[index % times.length] ?? timeOf(rhythm, 1));

/** How many cycles last at least so long together, both in flicks. */
export const cyclesFor = (cycle: number, length: number) =>
  Math.min(1000, Math.max(1, Math.ceil(length / cycle - 1e-6)));

/** A frame's end moved by some time, the next frame giving way so that the total stays. */
export function edgeMoved(
  rhythm: Rhythm,
  place: number,
  next: number,
  by: number,
  least: number,
  share = 1,
): Rhythm {
  const [here, after] = [timeOf(rhythm, place, share), timeOf(rhythm, next, share)];
  const moved = Math.max(least - here, Math.min(after - least, by));
  return withTimes(rhythm, [place, next], (_, index) => (index === 0 ? here + moved : after - moved));
}
