// Numbers, colours and orders as people type them, read one way everywhere; the service reads them the same way
// (tests/core/typed.json holds both to it).

/** The most numbers that an order may have. */
const MOST_LISTED = 20_000;

/**
 * Whether one mark before three digits may separate thousands as well as decimals. A point does so only where no
 * decimals can be meant.
 */
export function isAmbiguous(text: string, whole = false): boolean {
  return (whole ? /^[+-]?[1-9]\d{0,2}[,.]\d{3}$/ : /^[+-]?[1-9]\d{0,2},\d{3}$/).test(text.trim());
}

/** What to ask of an ambiguous number: which of the two it is. */
export function askWhich(text: string): string {
  const plain = text.trim();
  const decimal = plain.replace(",", ".").replace(/\.?0+$/, "");
  return `Is it ${plain.replace(/[,.]/, "")} or ${decimal}? Type one of them.`;
}

/**
 * A number with a decimal point or comma, its thousands apart by spaces or marks: `12,5`, `1 000`, `1,234.5`; null
 * for what is none, and for what may as well be thousands as decimals: `1,000`.
 */
export function readNumber(text: string, whole = false): number | null {
  let plain = text
    .trim()
    .replace(/[\u00a0\u2009\u202f']/g, " ")
    .replace("\u2212", "-");
  if (isAmbiguous(plain, whole)) return null;
  const mark = /^[+-]?\d{1,3}(?:([,. ])\d{3})(?:\1\d{3})*(?:[.,]\d+)?$/.exec(plain)?.[1];
  if (mark !== undefined) {
    const other = mark === "," ? "." : ",";
    if (mark === " " || plain.split(mark).length > 2 || plain.includes(other))
      plain = plain.replaceAll(mark, "");
  }
  if (!/^[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)$/.test(plain)) return null;
  const number = Number(plain.replace(",", "."));
  return whole && !Number.isInteger(number) ? null : number;
}

/** A colour as six hexadecimal digits: `#FF8800`, `f80` and `#f80` are `#ff8800`; null when it is none. */
export function readColour(text: string): string | null {
  const digits = /^#?([0-9a-f]{3}|[0-9a-f]{6})$/i.exec(text.trim())?.[1]?.toLowerCase();
  if (digits === undefined) return null;
  return `#${digits.length === 6 ? digits : digits.replace(/./g, "$&$&")}`;
}

/** Colours apart by commas or spaces, written out; null when one is none, or there twice. */
export function readColours(text: string): string | null {
  const colours = text
    .split(/[\s,]+/)
    .filter(Boolean)
    .map(readColour);
  return colours.includes(null) || new Set(colours).size < colours.length ? null : colours.join(", ");
}

/**
 * Frames in the order they are typed: numbers, runs, and runs by a step, apart by commas or spaces: `1-8, 12, 18-9`,
 * `1-18 by 2`. Three or more numbers drawn together are the frames themselves: `1-2-3-2`. 0 is a blank one, unless
 * they are counted `from` it. Null when it is none of these, or beyond the frames there are.
 */
export function readOrder(text: string, frames: number, from = 1): number[] | null {
  const order: number[] = [];
  const plain = text
    .trim()
    .toLowerCase()
    .replace(/\s*(?:\.\.|[-–—]|\bto\b)\s*/g, "-")
    .replace(/\s*\b(?:by|step)\b\s*/g, "x");
  for (const word of plain.split(/[\s,;]+/).filter((part) => part !== "")) {
    const match = /^(\d{1,5}(?:-\d{1,5})*)(?:x(\d{1,5}))?$/.exec(word);
    if (!match) return null;
    const numbers = (match[1] ?? "").split("-").map(Number);
    if (Math.max(...numbers) > frames) return null;
    if (numbers.length === 2) {
      const [first = 0, last = 0] = numbers;
      const by = Number(match[2] ?? 1);
      if (Math.min(first, last) < from || by < 1) return null;
      for (let at = 0; at <= Math.abs(last - first); at += by)
        order.push(last < first ? first - at : first + at);
    } else if (match[2] === undefined) order.push(...numbers);
    else return null;
    if (order.length > MOST_LISTED) return null;
  }
  return order.length > 0 ? order : null;
}
