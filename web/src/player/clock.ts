// Which frame is due at a moment: pure arithmetic over the real delays.

export interface Timeline {
  /** When each frame ends, in ms from the start of a round. */
  readonly ends: readonly number[];
  readonly total: number;
  /** 0 for ever. */
  readonly repeat: number;
}

export function timeline(delays: readonly number[], repeat: number): Timeline {
  const ends: number[] = [];
  let total = 0;
  for (const delay of delays) {
    total += delay;
    ends.push(total);
  }
  return { ends, total, repeat };
}

/** The frame on show `elapsed` ms after playing began, and whether playing is over (resting on the last). */
export function frameAt(line: Timeline, elapsed: number): { index: number; over: boolean } {
  const last = line.ends.length - 1;
  if (last < 0 || line.total <= 0) return { index: 0, over: true };
  if (line.repeat > 0 && elapsed >= line.total * line.repeat) return { index: last, over: true };
  const within = Math.max(0, elapsed) % line.total;
  let low = 0;
  let high = last;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((line.ends[middle] ?? 0) > within) high = middle;
    else low = middle + 1;
  }
  return { index: low, over: false };
}

export function startOf(line: Timeline, index: number): number {
  return index <= 0 ? 0 : (line.ends[index - 1] ?? 0);
}
