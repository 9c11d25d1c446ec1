// The rhythm strip: all frames and what plays of them, the frames as wide as they are long, one playhead.

import { memo, useEffect, useLayoutEffect, useMemo, useState } from "react";
import type { PlanInfo } from "../../api/client";
import { useWidth } from "../../ui/useWidth";
import type { Bench } from "../edits";
import { follow } from "../../player/playhead";
import { lostBySteps, useBars, useLikeness } from "../likeness";
import { selectNone } from "../selection";
import { planned, type Timeline } from "../timeline";
import type { Shown } from "../useShown";
import { Lane } from "./Lane";
import { Needle, Ruler } from "./Ruler";
import { scaleOf, useZoom } from "./scale";
import { Track, type Pull } from "./Track";
import { Transport } from "./Transport";

export function Strip({
  bench,
  shown,
  plan,
}: {
  bench: Bench;
  shown: Shown | null;
  plan: PlanInfo | undefined;
}) {
  const told = useMemo(() => plan && planned(plan), [plan]);
  const result = shown?.result ?? told;
  const wished = useBars((state) => state.by);
  const by = shown?.result.info.format === "sheet" ? "bytes" : wished;
  const likeness = useLikeness(by === "likeness" ? shown?.result : undefined);
  const length = result?.delays.length ?? 0;
  const bars = useMemo(
    () => (likeness && by === "likeness" ? lostBySteps(likeness, length) : undefined),
    [likeness, by, length],
  );
  useLayoutEffect(() => {
    if (!shown && told) follow(told.delays, 0);
  }, [shown, told]);
  const [track, width] = useWidth();
  useEffect(() => {
    selectNone();
    useZoom.setState({ zoom: 1, from: 0 });
  }, [bench.project.id]);
  return (
    <section
      aria-label="Rhythm strip"
      className="alone rounded-[12px] border border-line bg-card px-3 pt-2.5 pb-2.5"
    >
      <Transport bench={bench} timeline={result} by={by} lost={bars} />
      <div ref={track} className="relative mt-2 select-none">
        {result && <Lane bench={bench} result={result} width={width} />}
        <div className="relative mt-1.5 overflow-hidden">
          {result ? (
            <InTime bench={bench} result={result} width={width} bars={bars} />
          ) : (
            <div className="mt-[20px] flex h-[96px] items-center justify-center rounded-[7px] bg-well text-ink-2">
              The frames lie here as soon as the first output is made
            </div>
          )}
        </div>
      </div>
    </section>
  );
}

/** Frames, ruler and playhead in true proportion of time: all that a zoom draws anew. */
const InTime = memo(function InTime({
  bench,
  result,
  width,
  bars,
}: {
  bench: Bench;
  result: Timeline;
  width: number;
  bars: readonly number[] | undefined;
}) {
  const { zoom, from } = useZoom();
  // While an edge is pulled the scale stands still, so that the edge stays under the hand.
  const [pull, setPull] = useState<Pull | null>(null);
  useEffect(() => setPull(null), [result.delays]);
  const delays = pull?.delays ?? result.delays;
  const scale = useMemo(
    () => scaleOf(delays, width, zoom, from, pull?.perMs),
    [delays, width, zoom, from, pull?.perMs],
  );
  return (
    <>
      <Track bench={bench} result={result} scale={scale} delays={delays} bars={bars} onPull={setPull} />
      <Ruler scale={scale} />
      <Needle scale={scale} />
    </>
  );
});
