// The one playhead: stage and strip both follow it.

import { create } from "zustand";
import { frameAt, startOf, timeline, type Timeline } from "./clock";

interface Playhead {
  line: Timeline;
  index: number;
  /** ms into the round; exact while playing, the frame's start when stepping. */
  at: number;
  playing: boolean;
}

export const usePlayhead = create<Playhead>(() => ({ line: timeline([], 0), index: 0, at: 0, playing: false }));

let anchor = 0;
let ticking = 0;

function tick(now: number): void {
  const { line, playing } = usePlayhead.getState();
  if (!playing) {
    ticking = 0;
    return;
  }
  const elapsed = now - anchor;
  const { index, over } = frameAt(line, elapsed);
  usePlayhead.setState({
    index,
    at: over ? line.total : line.total > 0 ? Math.max(0, elapsed) % line.total : 0,
    playing: !over || line.repeat === 0,
  });
  ticking = over && line.repeat > 0 ? 0 : requestAnimationFrame(tick);
}

export function play(): void {
  const { line, index } = usePlayhead.getState();
  if (line.ends.length < 2) return;
  const resting = line.repeat > 0 && index === line.ends.length - 1;
  anchor = performance.now() - (resting ? 0 : startOf(line, index));
  usePlayhead.setState({ playing: true });
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
  if (before.playing) anchor = performance.now() - startOf(line, index);
  usePlayhead.setState({ line, index, at: startOf(line, index) });
}
