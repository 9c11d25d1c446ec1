// Figures for people.

import { readNumber } from "./typed";

export const FLICKS = 705_600_000;

/** Bytes as whole kilobytes of 1024, the unit that limits are given in. */
export function kilobytes(bytes: number): string {
  return String(Math.max(1, Math.ceil(bytes / 1024)));
}

/** Bytes for people: in KB, large ones in MB. */
export function size(bytes: number): string {
  return bytes < 10 * 2 ** 20 ? `${kilobytes(bytes)} KB` : `${(bytes / 2 ** 20).toFixed(1)} MB`;
}

export function seconds(ms: number): string {
  return (ms / 1000).toFixed(2);
}

/** A limit in the largest unit that suits it. */
export function roughly(bytes: number): string {
  const [unit, name] = bytes >= 2 ** 30 ? [2 ** 30, "GB"] : [2 ** 20, "MB"];
  return `${Number((bytes / unit).toFixed(1))} ${name}`;
}

/** `2nd`, `3rd`, `12th`. */
export function ordinal(n: number): string {
  const teen = n % 100 >= 11 && n % 100 <= 13;
  return `${n}${teen ? "th" : (["th", "st", "nd", "rd"][n % 10] ?? "th")}`;
}

export function count(n: number, word: string): string {
  return `${n} ${word}${n === 1 ? "" : "s"}`;
}

export function ago(iso: string, now: number): string {
  const passed = (now - Date.parse(iso + (iso.endsWith("Z") ? "" : "Z"))) / 1000;
  if (passed < 5) return "just now";
  if (passed < 90) return `${Math.round(passed)} s ago`;
  if (passed < 90 * 60) return `${Math.round(passed / 60)} min ago`;
  if (passed < 36 * 3600) return `${Math.round(passed / 3600)} h ago`;
  return new Date(iso + "Z").toLocaleDateString("en", { day: "numeric", month: "short" });
}

export function times(repeat: number): string {
  return repeat === 0 ? "for ever" : repeat === 1 ? "once" : `${repeat} times`;
}

/** How a delay may be written, for people. */
export const DELAYS_ARE =
  "A time over 0: 40ms, 4cs or 0.04s; 2f is two frames of the rate, 2f@30 of another. Without a unit: cs.";
export const RATES_ARE = "Frames a second, over 0 up to 1000: 24, 12.5 or 24000/1001.";
export const LENGTHS_ARE = "A time over 0 up to an hour: 4s, 2500ms. Without a unit: seconds.";

/**
 * Flicks from a typed delay: `40ms`, `4cs`, `0.04s`, a bare number of hundredths, `2f@30` for two frames at that
 * rate, or `2f` at the one that is given; null when it is none.
 */
export function parseDelay(text: string, rate = ""): number | null {
  const match = /^([\d.,'\s]+?)\s*(?:(ms|cs|s)|(f)(?:\s*@\s*(.+))?)?$/.exec(text.trim().toLowerCase());
  const number = match ? readNumber(match[1] ?? "") : null;
  if (!match || number === null) return null;
  const each = match[3] ? valueOf(readRate(match[4] ?? rate) ?? "") : PER_SECOND[match[2] ?? "cs"];
  if (!each) return null;
  const flicks = Math.round((number * FLICKS) / each);
  return flicks > 0 && flicks <= 3600 * FLICKS ? flicks : null;
}

/** A run of frames with one end moved; the other gives way where they would cross. */
export function withEnd(
  run: { first: number; last: number },
  end: "first" | "last",
  at: number,
): { first: number; last: number } {
  return end === "first"
    ? { first: at, last: Math.max(run.last, at) }
    : { first: Math.min(run.first, at), last: at };
}

const PER_SECOND: Record<string, number> = { ms: 1000, cs: 100, s: 1 };

/** Frames a second of a rate that was read; 0 when there is none. */
function valueOf(rate: string): number {
  const [over, under = "1"] = rate.split("/");
  return Number(over) / Number(under);
}

/** Flicks from a typed length, in which a bare number is seconds. */
export const parseLength = (text: string) => parseDelay(/[a-z]/i.test(text) ? text : `${text}s`);

/** A typed rate as it is taken: `24`, `12.5`, `25 fps`, `24000/1001`, or nothing; null when it is none. */
export function readRate(text: string): string | null {
  const typed = text.trim().replace(/\s*fps$/i, "");
  if (typed === "") return "";
  const plain = typed.includes("/") ? typed.replace(/\s/g, "") : readNumber(typed);
  const rate = plain === null ? "" : String(plain);
  const match = /^(\d{1,9}(?:\.\d{1,6})?)(?:\/([1-9]\d{0,8}))?$/.exec(rate);
  const value = match && !(match[2] && match[1]?.includes(".")) ? valueOf(rate) : 0;
  return value > 0 && value <= 1000 ? rate : null;
}

export function hundredths(flicks: number): string {
  const value = (flicks * 100) / FLICKS;
  return Number.isInteger(value) ? String(value) : value.toFixed(2);
}

/** Numbers in rising order drawn together: first and last of each run. */
export function runs(numbers: readonly number[]): [number, number][] {
  const found: [number, number][] = [];
  for (const number of numbers) {
    const last = found.at(-1);
    if (last && number === last[1] + 1) last[1] = number;
    else found.push([number, number]);
  }
  return found;
}

/** The first numbers of a list, runs drawn together. */
export function numbersInWords(numbers: readonly number[], most = 7): string {
  const found = runs(numbers);
  const words = found.slice(0, most).map(([from, to]) => (from === to ? String(from) : `${from}–${to}`));
  return words.join(", ") + (found.length > most ? " …" : "");
}

/** The text with a capital letter, as a sentence begins. */
export const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
