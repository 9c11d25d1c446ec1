// The one playhead: stage and strip both follow it.

import { create } from "zustand";
import { frameAt, startOf, timeline, type Timeline } from "./clock";

interface Playhead {
  line: Timeline;
  index: number;
  /** ms into the round; exact while playing, the frame's start when stepping. */
  at: number;
  playing: boolean;
  /** Of looking, in percent: the file itself stays as it is. */
  speed: number;
  backwards: boolean;
  /** Frames whose time passed between two pictures of the display, in this round or the one before. */
  skipped: number;
}

export const SPEEDS = [10, 25, 50, 100, 200, 400] as const;

export const usePlayhead = create<Playhead>(() => ({
  line: timeline([], 0),
  index: 0,
  at: 0,
  playing: false,
  speed: 100,
  backwards: false,
  skipped: 0,
}));

/** The display's first picture since playing began: its time may lie before the key that began it. */
let first: number | null = null;
/** ms into the round at that picture. */
let begun = 0;
/** The round it is in, the frames skipped in it so far, and those in the one before. */
let round = { number: 0, skipped: 0, before: 0 };
let ticking = 0;

function tick(now: number): void {
  const before = usePlayhead.getState();
  const { line, playing, backwards } = before;
  if (!playing) {
    ticking = 0;
    return;
  }
  first ??= now;
  const elapsed = begun + (now - first) * pace();
  // Backwards it goes round for ever: only looking is done that way.
  const number = line.total > 0 ? Math.floor(elapsed / line.total) : 0;
  const due = backwards ? elapsed - number * line.total : elapsed;
  const { index, over } = frameAt(line, due);
  const count = line.ends.length;
  const passed = count > 0 ? ((index - before.index) * (backwards ? -1 : 1) + count) % count : 0;
  usePlayhead.setState({
    index,
    at: over ? line.total : line.total > 0 ? Math.max(0, due) % line.total : 0,
    playing: !over || line.repeat === 0,
    skipped: skippedBy(number, over ? 0 : Math.max(0, passed - 1)),
  });
  ticking = over && line.repeat > 0 ? 0 : requestAnimationFrame(tick);
}

function skippedBy(number: number, more: number): number {
  if (number !== round.number)
    round = { number, skipped: 0, before: Math.abs(number - round.number) === 1 ? round.skipped : 0 };
  round.skipped += more;
  return Math.max(round.skipped, round.before);
}

/** Begin anew, so many ms into a round, with the display's next picture. */
function begin(at: number): void {
  const { line } = usePlayhead.getState();
  [first, begun] = [null, at];
  round = { number: line.total > 0 ? Math.floor(at / line.total) : 0, skipped: 0, before: 0 };
}

function pace(): number {
  const { speed, backwards } = usePlayhead.getState();
  return (speed / 100) * (backwards ? -1 : 1);
}

/** Look at it faster or slower, going on from the same place. */
export function setSpeed(speed: number): void {
  usePlayhead.setState({ speed });
  if (usePlayhead.getState().playing) play();
}

export function nextSpeed(way: 1 | -1): void {
  const at = SPEEDS.findIndex((one) => one === usePlayhead.getState().speed);
  setSpeed(SPEEDS[Math.min(SPEEDS.length - 1, Math.max(0, at + way))] ?? 100);
}

export function turnRound(): void {
  const { backwards } = usePlayhead.getState();
  usePlayhead.setState({ backwards: !backwards });
  play();
}

export function play(): void {
  const { line, index, backwards } = usePlayhead.getState();
  if (line.ends.length < 2) return;
  const resting = line.repeat > 0 && index === line.ends.length - 1 && !backwards;
  // Backwards a frame is entered at its end.
  const at = backwards ? (line.ends[index] ?? 0) - 0.001 : startOf(line, index);
  begin(resting ? 0 : at);
  usePlayhead.setState({ playing: true, skipped: 0 });
  if (!ticking) ticking = requestAnimationFrame(tick);
}

export function pause(): void {
  usePlayhead.setState({ playing: false });
}

export function toggle(): void {
  if (usePlayhead.getState().playing) pause();
  else play();
}

/** Show one frame and stay there. */
export function show(index: number): void {
  const { line } = usePlayhead.getState();
  const last = line.ends.length - 1;
  const kept = Math.min(Math.max(index, 0), Math.max(last, 0));
  usePlayhead.setState({ playing: false, index: kept, at: startOf(line, kept) });
}

/** Step by a number of frames; past an end it goes on at the other, as the loop does. */
export function step(by: number): void {
  const { line, index } = usePlayhead.getState();
  const n = line.ends.length;
  if (n > 0) show((index + by + n) % n);
}

/** Take on a result's real delays, keeping the place. */
export function follow(delays: readonly number[], repeat: number): void {
  const before = usePlayhead.getState();
  const line = timeline(delays, repeat);
  const index = Math.min(before.index, Math.max(line.ends.length - 1, 0));
  usePlayhead.setState({ line, index, at: startOf(line, index), skipped: 0 });
  if (before.playing) begin(startOf(line, index));
}
