// Two trials played by the one playhead: side by side, or one wiped over the other.

import { useMemo, type ReactNode } from "react";
import { useView } from "../view";
import { usePlayhead } from "../../player/playhead";
import { usePlayed, type Played } from "../../player/usePlayed";
import { useRoom } from "../../ui/useRoom";
import { WipeHandle } from "../WipeHandle";
import { paint } from "../paint";
import { stepsBeside } from "./look";
import type { TrialFrames } from "./useFrames";

/** What clear pixels lie over. */
export interface Ground {
  className: string;
  background: string | undefined;
}

export interface Half {
  frames: TrialFrames | null;
  error: string;
  label: ReactNode;
  foot?: ReactNode;
}

export function SideBySide({ left, right, ground }: { left: Half; right: Half | null; ground: Ground }) {
  return (
    <div className={`grid min-h-0 gap-3 ${right ? "grid-cols-2" : "grid-cols-1"}`}>
      {[left, right].map((one, at) => one && <Single key={at} {...one} ground={ground} side={at} />)}
    </div>
  );
}

function Single({ frames, error, label, foot, ground, side }: Half & { ground: Ground; side: number }) {
  const [area, room] = useRoom();
  const scale = frames ? fitted(frames, room) : 1;
  return (
    <figure className="flex min-h-0 min-w-0 flex-col">
      <div ref={area} className="relative min-h-0 grow overflow-hidden">
        {frames ? (
          <div
            className={`absolute top-1/2 left-1/2 -translate-1/2 ${ground.className}`}
            style={{
              background: ground.background,
              width: frames.width * scale,
              height: frames.height * scale,
            }}
          >
            <Playing trials={[frames]} scale={scale} name={side === 0 ? "Left trial" : "Right trial"} />
          </div>
        ) : (
          <NotYet error={error} />
        )}
        <figcaption className="absolute top-0 left-0">{label}</figcaption>
      </div>
      {foot}
    </figure>
  );
}

/** Whole multiples where there is room for them, otherwise as large as fits. */
function fitted(of: { width: number; height: number }, room: { width: number; height: number }): number {
  const most = Math.min(room.width / of.width, room.height / of.height);
  return most >= 1 ? Math.floor(most) : Math.max(most, 0.02);
}

/** One trial, or two with the first wiped over the second. */
function Playing({
  trials,
  wipe = 0,
  scale,
  name,
}: {
  trials: readonly [TrialFrames] | readonly [left: TrialFrames, right: TrialFrames];
  wipe?: number;
  scale: number;
  name: string;
}) {
  const line = usePlayhead((state) => state.line);
  const [first, second] = trials;
  const canvas = usePlayed(
    useMemo<Played>(() => {
      const shown = (second ? [first, second] : [first]).map(({ frames, delays }) => ({
        frames,
        steps: stepsBeside(line.ends, delays),
      }));
      return {
        count: Math.max(line.ends.length, 1),
        takes: (step) => shown.map(({ frames, steps }) => [frames, steps[step] ?? 0] as const),
        paint: (context, [one, two], step) => {
          if (second) paint(context, "wipe", wipe, two, one);
          else paint(context, "result", 0, one, undefined);
          context.canvas.dataset.index = String(step);
        },
      };
    }, [first, second, line, wipe]),
  );
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={name}
      width={first.width}
      height={first.height}
      className="h-full w-full"
      style={{ imageRendering: scale >= 1 ? "pixelated" : "auto" }}
    />
  );
}

/** Why nothing plays yet. */
function NotYet({ error }: { error: string }) {
  return (
    <p className="absolute top-1/2 left-1/2 -translate-1/2 rounded-[8px] bg-card px-3 py-1.5">
      {error ? `Cannot be played: ${error}` : "Opening…"}
    </p>
  );
}

export function Wiped({ left, right, ground }: { left: Half; right: Half; ground: Ground }) {
  const [area, room] = useRoom();
  const wipe = useView((state) => state.wipe);
  const of = left.frames ?? right.frames;
  const scale = of ? fitted(of, room) : 1;
  return (
    <div className="flex min-h-0 flex-col">
      <div ref={area} className="relative min-h-0 grow">
        {of && left.frames && right.frames ? (
          <div
            className={`absolute top-1/2 left-1/2 -translate-1/2 ${ground.className}`}
            style={{ background: ground.background, width: of.width * scale, height: of.height * scale }}
          >
            <Playing trials={[left.frames, right.frames]} wipe={wipe} scale={scale} name="Both trials" />
            <WipeHandle wipe={wipe} name="Wipe between two trials" />
          </div>
        ) : (
          <NotYet error={left.error || right.error} />
        )}
        <span className="absolute top-0 left-0">{left.label}</span>
        <span className="absolute top-0 right-0">{right.label}</span>
      </div>
      <div className="grid grid-cols-2 gap-3">
        {left.foot}
        {right.foot}
      </div>
    </div>
  );
}
