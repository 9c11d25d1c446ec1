// The result on show: its pictures decoded from its own bytes, swapped in when the next one is ready.

import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { ResultInfo } from "../api/client";
import { openMade, type FrameSource, type Player } from "../player/frames";
import { follow, play } from "../player/playhead";

export interface Shown {
  result: ResultInfo;
  frames: FrameSource;
  /** The palettes of a GIF: one, or one a picture. */
  palettes: string[][];
}

/** Whether two results show the same pictures in each step, however long. */
const samePictures = (a: ResultInfo, b: ResultInfo) =>
  a.pixels === b.pixels && a.at.length === b.at.length && a.at.every((at, step) => at === b.at[step]);

export function useShown(
  result: ResultInfo | undefined,
  player: Player,
): { shown: Shown | null; error: string } {
  const [loaded, setLoaded] = useState<Shown | null>(null);
  const [error, setError] = useState("");
  const current = useRef<Shown | null>(null);
  const begun = useRef(false);
  // Where only the time differs, the pictures at hand are this file's pictures. Those of another output are not shown.
  const shown = useMemo(() => {
    if (!loaded || !result) return null;
    if (samePictures(loaded.result, result)) return { ...loaded, result };
    return loaded.result.output_id === result.output_id ? loaded : null;
  }, [loaded, result]);

  useEffect(() => {
    if (!result || (current.current && samePictures(current.current.result, result))) return;
    let over = false;
    const load = async () => {
      const opened = await openMade(result, player);
      if (over) {
        opened.frames.close();
        return;
      }
      current.current?.frames.close();
      current.current = { result, ...opened };
      setLoaded(current.current);
      setError("");
    };
    load().catch((reason: unknown) => {
      if (!over) setError(reason instanceof Error ? reason.message : String(reason));
    });
    return () => {
      over = true;
    };
  }, [result, player]);

  useLayoutEffect(() => {
    if (!shown) return;
    // A clip has no repeat of its own; here it is watched as a loop.
    const { format, repeat } = shown.result.info;
    follow(shown.result.delays, format === "video" ? 0 : repeat);
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
