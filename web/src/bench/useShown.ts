// The result on show: its pictures decoded from its own bytes, swapped in when the next one is ready.

import { useEffect, useRef, useState } from "react";
import { fileUrl, type ResultInfo } from "../api/client";
import { openResult, paletteOf, type FrameSource } from "../player/frames";
import { follow, play } from "../player/playhead";

export interface Shown {
  result: ResultInfo;
  frames: FrameSource;
  palette: string[];
}

export function useShown(result: ResultInfo | undefined): { shown: Shown | null; error: string } {
  const [shown, setShown] = useState<Shown | null>(null);
  const [error, setError] = useState("");
  const current = useRef<Shown | null>(null);

  useEffect(() => {
    if (!result) return;
    let over = false;
    const take = (next: Shown) => {
      const first = current.current === null;
      if (current.current && current.current.frames !== next.frames) current.current.frames.close();
      current.current = next;
      follow(
        next.result.info.frames.map((frame) => frame.delay_ms),
        next.result.info.repeat,
      );
      if (first && !matchMedia("(prefers-reduced-motion: reduce)").matches) play();
      setShown(next);
      setError("");
    };
    const before = current.current;
    if (before && before.result.pixels === result.pixels) {
      // Only the time differs: the pictures at hand are this file's pictures.
      take({ ...before, result });
      return;
    }
    const load = async () => {
      const answer = await fetch(fileUrl(result.id));
      if (!answer.ok) throw new Error("the output could not be fetched");
      const bytes = await answer.arrayBuffer();
      const frames = await openResult(bytes, result.id, result.info);
      if (over) frames.close();
      else take({ result, frames, palette: paletteOf(bytes) });
    };
    load().catch((reason: unknown) => {
      if (!over) setError(reason instanceof Error ? reason.message : String(reason));
    });
    return () => {
      over = true;
    };
  }, [result]);

  useEffect(() => {
    // Leaving the bench lets go of all pictures.
    return () => {
      current.current?.frames.close();
      current.current = null;
    };
  }, []);
  return { shown, error };
}
