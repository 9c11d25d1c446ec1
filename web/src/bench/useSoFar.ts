// What is coded so far of the output on show, until its result is there.

import { useEffect, useRef } from "react";
import { create } from "zustand";
import type { JobInfo } from "../api/client";
import { Growing } from "../player/growing";

/** The steps that are coded so far: kept apart from the bench, most of which nothing of it concerns. */
interface SoFar {
  frames: Growing | null;
  steps: number;
  bytes: number;
}

/** Milliseconds that a job goes on before it is watched: one that is soon done would only be held up by it. */
const SOON = 250;
const NOTHING: SoFar = { frames: null, steps: 0, bytes: 0 };

export const useSoFar = create<SoFar>(() => NOTHING);

/**
 * Follows the `job` of an `output`, if that codes pictures that can be watched, and keeps what came until the next job
 * has something to show or it is `over`: the result is on show, or there will be none.
 */
export function useWatching(output: string, job: JobInfo | undefined, over: boolean): Growing | null {
  const coming = useRef<Growing | null>(null);
  const id = !over && job?.state === "running" && job.stage === "encoding" ? job.id : null;

  useEffect(() => {
    if (id === null) return;
    const begin = () => {
      const growing = new Growing(id);
      coming.current?.close();
      coming.current = growing;
      const tell = () => {
        const before = useSoFar.getState().frames;
        if (coming.current === growing) {
          before?.close();
          coming.current = null;
        } else if (before !== growing) return;
        useSoFar.setState({ frames: growing, steps: growing.count, bytes: growing.bytes });
      };
      growing.follow(tell).catch(() => undefined); // it ended; what came stays
    };
    const timer = setTimeout(begin, SOON);
    return () => clearTimeout(timer);
  }, [id]);

  useEffect(() => {
    if (over) return;
    return () => {
      coming.current?.close();
      coming.current = null;
      useSoFar.getState().frames?.close();
      useSoFar.setState(NOTHING);
    };
  }, [output, over]);
  const frames = useSoFar((state) => state.frames);
  return over ? null : frames;
}
