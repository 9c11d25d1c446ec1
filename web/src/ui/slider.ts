// Keys of a slider, the same for all: WAI-ARIA Authoring Practices, slider pattern.

/** The value that a key leads to, or null if it is none of a slider's. */
export function valueBy(
  key: string,
  { value, min, max, step, page }: { value: number; min: number; max: number; step: number; page: number },
): number | null {
  const by: Record<string, number> = {
    ArrowLeft: -step,
    ArrowDown: -step,
    ArrowRight: step,
    ArrowUp: step,
    PageDown: -page,
    PageUp: page,
    Home: -Infinity,
    End: Infinity,
  };
  const change = by[key];
  return change === undefined ? null : Math.min(max, Math.max(min, value + change));
}
