// What one project can take from another.

export const SETTINGS = [
  ["rhythm", "Rhythm", "order, delays, range"],
  ["framing", "Framing", "crop, tone, edges"],
  ["outputs", "Outputs", "formats, sizes, tuning, targets"],
] as const;
export type Setting = (typeof SETTINGS)[number][0];
export const ALL_SETTINGS: readonly Setting[] = SETTINGS.map(([setting]) => setting);
