// A trial's pictures, decoded from its own file; the last few stay at hand.

import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, data, type Made, type Output, type TrialFile, type TrialInfo } from "../../api/client";
import { openMade, type FrameSource, type Opened } from "../../player/frames";
import { viewOf } from "../formats/table";
import type { Shown } from "../useShown";

/** How many stay open that nobody looks at. */
const AT_HAND = 1;
const pool = new Map<string, { opened: Promise<Opened>; users: number }>();

function borrow(key: string, open: () => Promise<Opened>): Promise<Opened> {
  const known = pool.get(key) ?? { opened: open(), users: 0 };
  known.users += 1;
  pool.delete(key);
  pool.set(key, known);
  return known.opened;
}

function giveBack(key: string): void {
  const known = pool.get(key);
  if (known) known.users -= 1;
  const idle = [...pool].filter(([, { users }]) => users === 0);
  for (const [old, { opened }] of idle.slice(0, Math.max(0, idle.length - AT_HAND))) {
    pool.delete(old);
    opened.then(({ frames }) => frames.close()).catch(() => undefined);
  }
}

export interface TrialFrames {
  frames: FrameSource;
  delays: readonly number[];
  width: number;
  height: number;
}

/** Of a trial; that which is in use is on show already. */
export function useFrames(
  trial: TrialInfo | undefined,
  shown: Shown | null,
): { found: TrialFrames | null; error: string } {
  const file = useQuery({
    queryKey: ["trial", trial?.id, trial?.pixels],
    queryFn: ({ signal }) =>
      data<TrialFile>(
        api.GET("/api/trials/{trial_id}", { params: { path: { trial_id: trial?.id ?? 0 } }, signal }),
      ),
    enabled: trial !== undefined,
    retry: false,
    staleTime: Infinity,
  });
  const [opened, setOpened] = useState<{ key: string; frames: FrameSource } | null>(null);
  const [error, setError] = useState("");
  const made = file.data;
  const output = trial?.output as unknown as Output | undefined;
  const player = output && viewOf(output).player(output);
  const inUse = shown !== null && shown.result.pixels === trial?.pixels;
  useEffect(() => {
    setError("");
    if (!made || !player || inUse) return;
    let over = false;
    const as: Made = { ...made, trial: true };
    borrow(made.key, () => openMade(as, player))
      .then(({ frames }) => !over && setOpened({ key: made.key, frames }))
      .catch((reason: unknown) => !over && setError(reason instanceof Error ? reason.message : String(reason)));
    return () => {
      over = true;
      giveBack(made.key);
    };
  }, [made, player, inUse]);
  if (inUse) {
    const { result, frames } = shown;
    return { found: { frames, delays: result.delays, ...sides(result.info) }, error: "" };
  }
  const failed = error || (file.error ? file.error.message : "");
  if (!made || opened?.key !== made.key) return { found: null, error: failed };
  return { found: { frames: opened.frames, delays: made.delays, ...sides(made.info) }, error: failed };
}

const sides = ({ width, height }: { width: number; height: number }) => ({ width, height });
