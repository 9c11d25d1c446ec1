// The order of the frames made by hand. Delays, range and spans go with the frames they belong to.

import { count, numbersInWords } from "../format";
import type { Rhythm } from "./delays";

/** The position that stands for an empty picture. */
export const EMPTY = 0;

/** Which gathered frame stands in each place. */
export function arranged(rhythm: Rhythm, frames: number): number[] {
  return rhythm.order ?? Array.from({ length: frames }, (_, index) => index + 1);
}

/**
 * The rhythm with its places in another order. `from` names for each new place the old one it comes from; an old
 * place may come several times, and 0 makes an empty one.
 */
export function rearranged(rhythm: Rhythm, frames: number, from: readonly number[]): Rhythm {
  if (from.length === 0) return rhythm;
  const before = arranged(rhythm, frames);
  const order = from.map((place) => before[place - 1] ?? EMPTY);
  const holds: Record<string, number> = {};
  from.forEach((place, index) => {
    const held = rhythm.holds[String(place)];
    if (held !== undefined) holds[String(index + 1)] = held;
  });
  const where = (first: number, last: number) => {
    const found = from.flatMap((place, index) => (first <= place && place <= last ? [index + 1] : []));
    return found.length > 0 ? { first: Math.min(...found), last: Math.max(...found) } : null;
  };
  const ranged = rhythm.first !== null || rhythm.last !== null;
  const range = ranged ? where(rhythm.first ?? 1, rhythm.last ?? before.length) : null;
  const natural = order.length === frames && order.every((position, index) => position === index + 1);
  const after = rhythm.between?.after?.flatMap((old) =>
    from.flatMap((place, index) => (place === old ? [index + 1] : [])),
  );
  return {
    ...rhythm,
    between:
      rhythm.between && after ? (after.length > 0 ? { ...rhythm.between, after } : null) : rhythm.between,
    order: natural ? null : order,
    holds,
    first: range ? range.first : null,
    last: range ? range.last : null,
    spans: rhythm.spans.flatMap((span) => {
      const moved = where(span.first, span.last);
      return moved ? [{ ...span, ...moved }] : [];
    }),
  };
}

const all = (count: number) => Array.from({ length: count }, (_, index) => index + 1);

/** The chosen places the other way round, each among the places they took. */
export function reversed(count: number, chosen: readonly number[]): number[] {
  const sorted = [...chosen].sort((a, b) => a - b);
  const from = all(count);
  sorted.forEach((place, index) => {
    from[place - 1] = sorted[sorted.length - 1 - index] ?? place;
  });
  return from;
}

/** The chosen places moved together by some places, and where they are then. */
export function moved(count: number, chosen: readonly number[], by: number): { from: number[]; to: number[] } {
  const sorted = [...chosen].sort((a, b) => a - b);
  const rest = all(count).filter((place) => !chosen.includes(place));
  const before = rest.filter((place) => place < (sorted[0] ?? 1)).length;
  const at = Math.min(rest.length, Math.max(0, before + by));
  return {
    from: [...rest.slice(0, at), ...sorted, ...rest.slice(at)],
    to: sorted.map((_, index) => at + index + 1),
  };
}

/** The chosen places set before another, and where they are then. */
export function movedBefore(
  count: number,
  chosen: readonly number[],
  target: number,
): { from: number[]; to: number[] } {
  const sorted = [...chosen].sort((a, b) => a - b);
  const rest = all(count).filter((place) => !chosen.includes(place));
  const at = rest.filter((place) => place < target).length;
  return {
    from: [...rest.slice(0, at), ...sorted, ...rest.slice(at)],
    to: sorted.map((_, index) => at + index + 1),
  };
}

/** The chosen places a second time, after the last of them. */
export function doubled(count: number, chosen: readonly number[]): number[] {
  const sorted = [...chosen].sort((a, b) => a - b);
  const last = sorted.at(-1) ?? count;
  const from = all(count);
  return [...from.slice(0, last), ...sorted, ...from.slice(last)];
}

/** The order without the chosen places. */
export const dropped = (count: number, chosen: readonly number[]) =>
  all(count).filter((place) => !chosen.includes(place));

/** An empty place after another. */
export function emptyAfter(count: number, place: number): number[] {
  const from = all(count);
  return [...from.slice(0, place), EMPTY, ...from.slice(place)];
}

/** An order in few words: runs of three or more are drawn together, those of blanks are not. */
export function orderInWords(order: readonly number[], blank = EMPTY): string {
  const words: string[] = [];
  for (let at = 0; at < order.length;) {
    const first = order[at] ?? 0;
    const way = (order[at + 1] ?? first) - first;
    let end = at;
    if (Math.abs(way) === 1 && first !== blank)
      while (end + 1 < order.length && order[end + 1] === (order[end] ?? 0) + way && order[end + 1] !== blank)
        end += 1;
    if (end - at >= 2) {
      words.push(`${first}-${order[end] ?? 0}`);
      at = end + 1;
    } else {
      words.push(String(first));
      at += 1;
    }
  }
  return words.join(", ");
}

/** The rhythm in a typed order of gathered frames; each keeps the delay of the first place it stood in. */
export function inOrder(rhythm: Rhythm, frames: number, order: readonly number[]): Rhythm {
  const before = arranged(rhythm, frames);
  const from = order.map((position) => before.indexOf(position) + 1);
  const next = rearranged(rhythm, frames, from);
  const natural = order.length === frames && order.every((position, index) => position === index + 1);
  return { ...next, order: natural ? null : [...order] };
}

/**
 * What another order would drop, in words: frames that play now, and with them delays set by hand and spans. Frames
 * are called by their position, or what `called` makes of it.
 */
export function lostBy(
  rhythm: Rhythm,
  frames: number,
  order: readonly number[],
  called = (position: number) => position,
): string[] {
  const kept = new Set(order);
  const before = arranged(rhythm, frames);
  const gone = [...new Set(before.filter((position) => position !== EMPTY && !kept.has(position)))];
  const next = inOrder(rhythm, frames, order);
  const delays = Object.keys(rhythm.holds).filter(
    (place) => !kept.has(before[Number(place) - 1] ?? EMPTY),
  ).length;
  const spans = rhythm.spans.filter((span) => next.spans.every((one) => one.name !== span.name));
  return [
    ...(gone.length > 0 ? [`frames ${numbersInWords(gone.sort((a, b) => a - b).map(called))}`] : []),
    ...(delays > 0 ? [count(delays, "delay") + " set by hand"] : []),
    ...spans.map((span) => `the span ${span.name}`),
  ];
}
