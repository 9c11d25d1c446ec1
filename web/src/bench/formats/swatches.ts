// The colours of a palette: in which order they lie, and what becomes of it when one goes or two become one.

import type { components } from "../../api/schema.gen";

export type Swatch = components["schemas"]["SwatchInfo"];
export type Sort = "use" | "lightness" | "hue";

const levels = (colour: string): [number, number, number] => {
  const word = Number.parseInt(colour.slice(1), 16);
  return [word >> 16, (word >> 8) & 255, word & 255];
};

/** Light as it is weighed (ITU-R BT.709), 0 to 255. */
export function lightness(colour: string): number {
  const [red, green, blue] = levels(colour);
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

/** In degrees; greys, which have none, come first. */
export function hue(colour: string): number {
  const [red, green, blue] = levels(colour);
  const [most, least] = [Math.max(red, green, blue), Math.min(red, green, blue)];
  const range = most - least;
  if (range < 12) return -1;
  const sixth =
    most === red
      ? ((green - blue) / range + 6) % 6
      : most === green
        ? (blue - red) / range + 2
        : (red - green) / range + 4;
  return 60 * sixth;
}

export function sorted(swatches: readonly Swatch[], by: Sort): Swatch[] {
  if (by === "use") return [...swatches];
  const light = (one: Swatch) => lightness(one.colour);
  if (by === "lightness") return [...swatches].sort((a, b) => light(a) - light(b));
  // In twelfths of the circle, from dark to light in each.
  const twelfth = (one: Swatch) => Math.floor(hue(one.colour) / 30);
  return [...swatches].sort((a, b) => twelfth(a) - twelfth(b) || light(a) - light(b));
}

/** The palette without a colour. */
export const without = (swatches: readonly Swatch[], colour: string): string[] =>
  swatches.map((one) => one.colour).filter((one) => one !== colour);

/** The palette in which two have become what lies between them, nearer to the one that shows more. */
export function merged(swatches: readonly Swatch[], one: string, two: string): string[] {
  const share = (colour: string) => swatches.find((swatch) => swatch.colour === colour)?.share ?? 0;
  const [ours, theirs] = [share(one), share(two)];
  const part = ours + theirs > 0 ? theirs / (ours + theirs) : 0.5;
  const [from, to] = [levels(one), levels(two)];
  const mixed = `#${from
    .map((level, at) =>
      Math.round(level + ((to[at] ?? level) - level) * part)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
  const rest = without(swatches, one).filter((colour) => colour !== two);
  return rest.includes(mixed) ? rest : [...rest, mixed];
}

/** As it is taken away: a colour a line. */
export const asList = (swatches: readonly Swatch[]): string =>
  swatches.map(({ colour }) => `${colour}\n`).join("");
