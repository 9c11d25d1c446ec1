// The tone of all frames, or of some: what a slider changes, and where.

import type { Recipe } from "../api/client";

type Framing = Recipe["framing"];
export type Tone = Framing["tone"];

export const PLAIN: Tone = { exposure: 0, black: 0, white: 255, gamma: 1, contrast: 0, saturation: 0 };

export const isPlain = (tone: Tone) =>
  (Object.keys(PLAIN) as (keyof Tone)[]).every((key) => tone[key] === PLAIN[key]);

/** The tone that a frame has: one of its own, or that of all. */
export const toneOf = (framing: Framing, position: number): Tone =>
  framing.tones.find(({ frames }) => frames.includes(position))?.tone ?? framing.tone;

/** The framing with a change of the tone of some frames, or of all that have none of their own. */
export function withTone(
  framing: Framing,
  positions: readonly number[] | null,
  change: (tone: Tone) => Tone,
): Framing {
  if (positions === null) return { ...framing, tone: change(framing.tone) };
  const tones = new Map<string, { frames: number[]; tone: Tone }>();
  const put = (frames: readonly number[], tone: Tone) => {
    const key = JSON.stringify(tone);
    const there = tones.get(key);
    if (there) there.frames.push(...frames);
    else if (frames.length > 0) tones.set(key, { frames: [...frames], tone });
  };
  for (const { frames, tone } of framing.tones)
    put(
      frames.filter((position) => !positions.includes(position)),
      tone,
    );
  for (const position of positions) put([position], change(toneOf(framing, position)));
  const own = [...tones.values()].map(({ frames, tone }) => ({ frames: frames.sort((a, b) => a - b), tone }));
  return { ...framing, tones: own };
}

/** Some frames get the tone of all again. */
export const withoutTone = (framing: Framing, positions: readonly number[]): Framing => ({
  ...framing,
  tones: framing.tones
    .map(({ frames, tone }) => ({ frames: frames.filter((position) => !positions.includes(position)), tone }))
    .filter(({ frames }) => frames.length > 0),
});

/** How far neighbours differ in brightness, as a standard deviation in levels. */
export function flicker(lumas: readonly number[]): number {
  const steps = lumas.slice(1).map((luma, index) => luma - (lumas[index] ?? 0));
  if (steps.length === 0) return 0;
  const mean = steps.reduce((sum, step) => sum + step, 0) / steps.length;
  return Math.sqrt(steps.reduce((sum, step) => sum + (step - mean) ** 2, 0) / steps.length);
}
