// What is coded so far of the output on show, until its result is there.

import { useEffect, useRef, useState } from "react";
import type { JobInfo } from "../api/client";
import { Growing } from "../player/growing";

/** The steps that are coded so far. */
export interface SoFar {
  frames: Growing;
  steps: number;
  bytes: number;
}

/**
 * Follows the `job` of an `output`, if that codes pictures that can be watched, and keeps what came until the next job has something to
 * show or it is `over`: the result is on show, or there will be none.
 */
export function useSoFar(output: string, job: JobInfo | undefined, over: boolean): SoFar | null {
  const [soFar, setSoFar] = useState<SoFar | null>(null);
  const coming = useRef<Growing | null>(null);
  const shown = useRef<Growing | null>(null);
  const id = !over && job?.state === "running" && job.stage === "encoding" ? job.id : null;

  useEffect(() => {
    if (id === null) return;
    const growing = new Growing(id);
    coming.current?.close();
    coming.current = growing;
    const tell = () => {
      if (coming.current === growing) {
        shown.current?.close();
        [shown.current, coming.current] = [growing, null];
      }
      if (shown.current === growing) setSoFar({ frames: growing, steps: growing.count, bytes: growing.bytes });
    };
    growing.follow(tell).catch(() => undefined); // it ended; what came stays
  }, [id]);

  useEffect(() => {
    if (over) return;
    return () => {
      for (const one of [coming, shown]) {
        one.current?.close();
        one.current = null;
      }
      setSoFar(null);
    };
  }, [output, over]);
  return over ? null : soFar;
}
