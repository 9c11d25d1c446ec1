// The result on show: its pictures decoded from its own bytes, swapped in when the next one is ready.

import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { fileUrl, type ResultInfo } from "../api/client";
import { openResult, paletteOf, type FrameSource } from "../player/frames";
import { follow, play } from "../player/playhead";

export interface Shown {
  result: ResultInfo;
  frames: FrameSource;
  palette: string[];
}

export function useShown(result: ResultInfo | undefined): { shown: Shown | null; error: string } {
  const [loaded, setLoaded] = useState<Shown | null>(null);
  const [error, setError] = useState("");
  const current = useRef<Shown | null>(null);
  const begun = useRef(false);
  // Where only the time differs, the pictures at hand are this file's pictures.
  const shown = useMemo(
    () => (loaded && result && loaded.result.pixels === result.pixels ? { ...loaded, result } : loaded),
    [loaded, result],
  );

  useEffect(() => {
    if (!result || current.current?.result.pixels === result.pixels) return;
    let over = false;
    const load = async () => {
      const answer = await fetch(fileUrl(result));
      if (!answer.ok) throw new Error("the output could not be fetched");
      const bytes = await answer.arrayBuffer();
      const frames = await openResult(bytes, result);
      if (over) {
        frames.close();
        return;
      }
      current.current?.frames.close();
      current.current = { result, frames, palette: paletteOf(bytes) };
      setLoaded(current.current);
      setError("");
    };
    load().catch((reason: unknown) => {
      if (!over) setError(reason instanceof Error ? reason.message : String(reason));
    });
    return () => {
      over = true;
    };
  }, [result]);

  useLayoutEffect(() => {
    if (!shown) return;
    follow(shown.result.delays, shown.result.info.repeat);
    if (!begun.current && !matchMedia("(prefers-reduced-motion: reduce)").matches) play();
    begun.current = true;
  }, [shown]);

  useEffect(() => {
    // Leaving the bench lets go of all pictures.
    return () => {
      current.current?.frames.close();
      current.current = null;
    };
  }, []);
  return { shown, error };
}
