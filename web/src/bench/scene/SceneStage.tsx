// The exported files in a game's scene: led by arrow keys over a sea that scrolls.

import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import type { Output, ResultInfo } from "../../api/client";
import { NumberField, Segmented, Select } from "../../ui/controls";
import { useRoom } from "../../ui/useRoom";
import { frameDue, heading, loadActor, motionsOf, type Actor, type Direction, type Run } from "./actor";
import { drawGround, type Ground } from "./sea";

/** Pixels of the world a second. */
const SPEED = 150;
/** How long after a key was let go another still counts as let go with it, in ms. */
const LET_GO = 90;
const STEP: Record<Direction, readonly [number, number]> = {
  N: [0, -1],
  NE: [1, -1],
  E: [1, 0],
  SE: [1, 1],
  S: [0, 1],
  SW: [-1, 1],
  W: [-1, 0],
  NW: [-1, -1],
};

interface Settings {
  plays: string;
  once: boolean;
  rate: number | null;
  scale: number;
  smooth: boolean;
  cutoff: number;
  ground: Ground;
}

const FIRST: Settings = {
  plays: "",
  once: false,
  rate: null,
  scale: 2,
  smooth: false,
  cutoff: 0,
  ground: "sea",
};

export function SceneStage({
  result,
  output,
  behind,
}: {
  result: ResultInfo | undefined;
  output: Output;
  behind: boolean;
}) {
  const { actor, error } = useActor(result, output);
  const [settings, setSettings] = useState(FIRST);
  const set = (change: Partial<Settings>) => setSettings((now) => ({ ...now, ...change }));
  const motions = actor ? motionsOf(actor.spans) : [];
  const plays = settings.plays || (motions[0] ? `motion ${motions[0].name}` : "all");
  const choices = actor
    ? [
        ...motions.map(({ name }) => ({ value: `motion ${name}`, label: `${name || "spans"}, as it heads` })),
        ...actor.spans.map(({ name }) => ({ value: `span ${name}`, label: name })),
        { value: "all", label: "all frames" },
      ]
    : [];
  return (
    <section
      aria-label="Scene"
      className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage"
      data-result={result?.id ?? ""}
    >
      {actor ? (
        <World actor={actor} settings={{ ...settings, plays }} />
      ) : (
        <div className="flex h-full items-center justify-center">
          <p className="rounded-[8px] bg-card px-4 py-2">
            {error || (result ? "Loading the files…" : "There is no file yet.")}
          </p>
        </div>
      )}
      {behind && (
        <span className="pointer-events-none absolute top-3 right-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
          files from before the last change
        </span>
      )}
      {actor && (
        <div className="absolute inset-x-3 bottom-3 flex flex-wrap items-center gap-x-2.5 gap-y-1.5 rounded-[8px] bg-card px-2.5 py-1.5">
          <Select label="Plays" value={plays} choices={choices} onChange={(next) => set({ plays: next })} />
          <Segmented
            label="How often"
            value={settings.once ? "once" : "ever"}
            choices={[
              { value: "ever", label: "for ever" },
              { value: "once", label: "once" },
            ]}
            onChange={(next) => set({ once: next === "once" })}
          />
          <label className="flex items-center gap-1.5 text-ink-2">
            <NumberField
              label="Frames a second"
              units={{ fps: 1 }}
              value={settings.rate}
              min={1}
              max={240}
              placeholder="own"
              onCommit={(rate) => set({ rate })}
              onClear={() => set({ rate: null })}
            />
            fps
          </label>
          <Select
            label="Scale"
            value={String(settings.scale)}
            choices={["1", "2", "3", "4"].map((value) => ({ value, label: `${value} ×` }))}
            onChange={(next) => set({ scale: Number(next) })}
          />
          <Segmented
            label="Filter"
            value={settings.smooth ? "smooth" : "nearest"}
            choices={[
              { value: "nearest", label: "nearest" },
              { value: "smooth", label: "smooth" },
            ]}
            onChange={(next) => set({ smooth: next === "smooth" })}
          />
          <label className="flex items-center gap-1.5 text-ink-2">
            cut-off
            <NumberField
              label="Alpha cut-off"
              value={settings.cutoff}
              min={0}
              max={255}
              onCommit={(cutoff) => set({ cutoff })}
            />
          </label>
          <Select
            label="Ground"
            value={settings.ground}
            choices={[
              { value: "sea", label: "sea" },
              { value: "sand", label: "sand" },
              { value: "night", label: "night" },
              { value: "stripes", label: "stripes" },
            ]}
            onChange={(ground) => set({ ground })}
          />
        </div>
      )}
    </section>
  );
}

function useActor(result: ResultInfo | undefined, output: Output): { actor: Actor | null; error: string } {
  const [loaded, setLoaded] = useState<{ actor: Actor | null; error: string }>({ actor: null, error: "" });
  const latest = useRef(output);
  latest.current = output;
  useEffect(() => {
    if (!result || result.info.format !== latest.current.format) return;
    let over = false;
    let opened: Actor | null = null;
    loadActor(result, latest.current)
      .then((actor) => {
        if (over) actor.close();
        else setLoaded({ actor: (opened = actor), error: "" });
      })
      .catch((reason: unknown) => {
        if (!over) setLoaded({ actor: null, error: reason instanceof Error ? reason.message : String(reason) });
      });
    return () => {
      over = true;
      // What is drawn with it goes first.
      setTimeout(() => opened?.close(), 500);
    };
  }, [result]);
  return loaded;
}

function World({ actor, settings }: { actor: Actor; settings: Settings }) {
  const [area, room] = useRoom();
  const canvas = useRef<HTMLCanvasElement>(null);
  const held = useRef(new Set<string>());
  const turning = useRef(0);
  const place = useRef<{ x: number; y: number; heading: Direction }>({ x: 0, y: 0, heading: "S" });
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || room.width === 0) return;
    const { plays, once, rate, scale, smooth, cutoff, ground } = settings;
    const motion = motionsOf(actor.spans).find(({ name }) => plays === `motion ${name}`);
    const ready = new Map<number, OffscreenCanvas>();
    let due = 0;
    let before = performance.now();
    let begun = before;
    let playing = "";
    const picture = (index: number) => {
      const known = ready.get(index);
      if (known) return known;
      const drawn = cutOff(actor, index, cutoff);
      ready.set(index, drawn);
      if (ready.size > 64) ready.delete(ready.keys().next().value ?? index);
      return drawn;
    };
    const tick = (now: number) => {
      const passed = Math.min(100, Math.max(0, now - before)) / 1000;
      before = now;
      const towards = heading(held.current);
      if (towards) {
        const [across, down] = STEP[towards];
        const far = (SPEED * passed) / Math.hypot(across, down);
        place.current.x += across * far;
        place.current.y += down * far;
        // Two keys are never let go at once: what is left of a diagonal does not turn it at once.
        if (now >= turning.current) place.current.heading = towards;
      }
      const span =
        motion?.by[place.current.heading] ??
        Object.values(motion?.by ?? {})[0] ??
        actor.spans.find(({ name }) => plays === `span ${name}`);
      const run: Run = span ?? { first: 0, last: actor.count - 1 };
      const name = span?.name ?? "all";
      if (name !== playing) [playing, begun] = [name, now];
      const index = frameDue(actor, run, Math.max(0, now - begun), rate === null ? null : 1000 / rate, once);
      const { x, y } = place.current;
      context.imageSmoothingEnabled = smooth;
      drawGround(context, ground, room.width, room.height, x * scale, y * scale);
      const [pivotX, pivotY] = actor.anchor(index);
      context.drawImage(
        picture(index),
        Math.round(room.width / 2 - pivotX * actor.width * scale),
        Math.round(room.height / 2 - pivotY * actor.height * scale),
        actor.width * scale,
        actor.height * scale,
      );
      if (canvas.current) {
        canvas.current.dataset.span = name;
        canvas.current.dataset.frame = String(index);
        canvas.current.dataset.at = `${Math.round(x)} ${Math.round(y)}`;
      }
      due = requestAnimationFrame(tick);
    };
    due = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(due);
  }, [actor, settings, room]);
  const press = (event: KeyboardEvent, down: boolean) => {
    if (!event.key.startsWith("Arrow")) return;
    event.preventDefault();
    event.stopPropagation();
    if (down) held.current.add(event.key);
    else {
      held.current.delete(event.key);
      turning.current = performance.now() + LET_GO;
    }
  };
  return (
    <div
      ref={area}
      role="group"
      tabIndex={0}
      aria-label="Scene, led by arrow keys"
      className="group absolute inset-0 after:pointer-events-none after:absolute after:inset-0 after:z-10 focus-visible:after:border-[3px] focus-visible:after:border-jay focus-visible:after:shadow-[inset_0_0_0_2px_var(--card)]"
      onKeyDown={(event) => press(event, true)}
      onKeyUp={(event) => press(event, false)}
      onBlur={() => held.current.clear()}
    >
      <canvas
        ref={canvas}
        role="img"
        aria-label="The frames over moving ground"
        width={room.width}
        height={room.height}
        className="absolute inset-0"
      />
      <p className="pointer-events-none absolute top-3 left-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9] group-focus:hidden">
        click here, then lead it by the arrow keys
      </p>
    </div>
  );
}

/** A frame as a runtime with an alpha test draws it: what is less opaque is not there, the rest is solid. */
function cutOff(actor: Actor, index: number, cutoff: number): OffscreenCanvas {
  const canvas = new OffscreenCanvas(actor.width, actor.height);
  const context = canvas.getContext("2d", { willReadFrequently: cutoff > 0 });
  if (!context) return canvas;
  context.imageSmoothingEnabled = false;
  actor.draw(context, index);
  if (cutoff > 0) {
    const pixels = context.getImageData(0, 0, actor.width, actor.height);
    for (let at = 3; at < pixels.data.length; at += 4)
      pixels.data[at] = (pixels.data[at] ?? 0) < cutoff ? 0 : 255;
    context.putImageData(pixels, 0, 0);
  }
  return canvas;
}
