// The whole frames, playing, with the box that is cropped to: pulled by hand, or moved by the arrow keys.

import { useEffect, useLayoutEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { viewUrl } from "../api/client";
import { openSource, type FrameSource } from "../player/frames";
import { usePlayhead } from "../player/playhead";
import { follow } from "../ui/drag";
import { cropOf, pulled, setCrop, useCrop, valueOf, wholeOf, type Box, type Handle } from "./crop";
import type { Bench } from "./edits";
import type { Shown } from "./useShown";

const HANDLES: readonly { name: Handle; x: number; y: number; label: string }[] = [
  { name: "nw", x: 0, y: 0, label: "Top left corner" },
  { name: "n", x: 0.5, y: 0, label: "Top edge" },
  { name: "ne", x: 1, y: 0, label: "Top right corner" },
  { name: "e", x: 1, y: 0.5, label: "Right edge" },
  { name: "se", x: 1, y: 1, label: "Bottom right corner" },
  { name: "s", x: 0.5, y: 1, label: "Bottom edge" },
  { name: "sw", x: 0, y: 1, label: "Bottom left corner" },
  { name: "w", x: 0, y: 0.5, label: "Left edge" },
];

export function CropStage({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const { project, recipe, output } = bench;
  const area = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setRoom({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const { ratio, own } = useCrop();
  const kept = cropOf(recipe, output, project) ?? wholeOf(project);
  const [hand, setHand] = useState<Box | null>(null);
  const box = hand ?? kept;
  const scale = Math.min(room.width / project.width, room.height / project.height, 4) || 0;
  const value = valueOf(ratio, own, project);
  const px = (pixels: number) => `${pixels * scale}px`;

  const pull = (handle: Handle) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const from = { x: event.clientX, y: event.clientY };
    let now = box;
    const move = (moved: globalThis.PointerEvent) => {
      const [dx, dy] = [(moved.clientX - from.x) / scale, (moved.clientY - from.y) / scale];
      now = pulled(box, handle, dx, dy, value, project);
      setHand(now);
    };
    follow(event, move, () => {
      setHand(null);
      if (now !== box) setCrop(bench, now, `Crop to ${now.width} × ${now.height}`);
    });
  };
  const nudge = (handle: Handle) => (event: React.KeyboardEvent) => {
    const far = event.shiftKey ? 10 : 1;
    const by = {
      ArrowLeft: [-far, 0],
      ArrowRight: [far, 0],
      ArrowUp: [0, -far],
      ArrowDown: [0, far],
    }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const next = pulled(kept, handle, by[0] ?? 0, by[1] ?? 0, value, project);
    setCrop(bench, next, `Crop to ${next.width} × ${next.height}`, "crop by key");
  };
  return (
    <section aria-label="Crop" className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage">
      <div ref={area} className="absolute inset-4">
        <div
          className="chequer absolute top-1/2 left-1/2 -translate-1/2"
          style={{ width: px(project.width), height: px(project.height) }}
        >
          <Whole bench={bench} shown={shown} />
          {/* What is cut away lies in shadow. */}
          <div className="pointer-events-none absolute inset-0 overflow-hidden">
            <div
              className="absolute shadow-[0_0_0_9999px_rgb(20_24_30/0.6)]"
              style={{ left: px(box.left), top: px(box.top), width: px(box.width), height: px(box.height) }}
            />
          </div>
          <div
            role="group"
            tabIndex={0}
            aria-label={`Crop box, ${box.width} by ${box.height} at ${box.left}, ${box.top}`}
            className="absolute cursor-move touch-none outline-2 outline-white/90 focus-visible:outline-jay"
            style={{ left: px(box.left), top: px(box.top), width: px(box.width), height: px(box.height) }}
            onPointerDown={pull("move")}
            onKeyDown={nudge("move")}
          >
            {[1, 2].map((third) => (
              <span
                key={`v${third}`}
                className="absolute inset-y-0 w-px bg-white/40"
                style={{ left: `${third * 33.333}%` }}
              />
            ))}
            {[1, 2].map((third) => (
              <span
                key={`h${third}`}
                className="absolute inset-x-0 h-px bg-white/40"
                style={{ top: `${third * 33.333}%` }}
              />
            ))}
            {HANDLES.map(({ name, x, y, label }) => (
              <button
                key={name}
                type="button"
                aria-label={label}
                onPointerDown={pull(name)}
                onKeyDown={nudge(name)}
                className="absolute size-[14px] -translate-1/2 touch-none rounded-[3px] border-2 border-white bg-jay"
                style={{ left: `${x * 100}%`, top: `${y * 100}%`, cursor: `${name}-resize` }}
              />
            ))}
          </div>
        </div>
      </div>
      <span className="figure pointer-events-none absolute top-3 left-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
        {box.width} × {box.height}
      </span>
    </section>
  );
}

/** The frame that plays, as it came. */
function Whole({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, frame_list } = bench.project;
  const positions = shown?.result.positions;
  const urls = useMemo(
    () => positions?.map((position) => viewUrl(frame_list[position - 1]?.sha256 ?? "")) ?? [],
    [positions, frame_list],
  );
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || urls.length === 0) return;
    const source: FrameSource = openSource(urls, { width, height });
    let over = false;
    const draw = () => {
      const { index } = usePlayhead.getState();
      const put = (picture: ImageBitmap) => {
        if (over || !canvas.current) return;
        canvas.current.width = picture.width;
        canvas.current.height = picture.height;
        context.drawImage(picture, 0, 0);
      };
      const there = source.peek(index);
      if (there) put(there);
      else
        source
          .get(index)
          .then((picture) => usePlayhead.getState().index === index && put(picture))
          .catch(() => undefined);
      for (let ahead = 1; ahead <= 4; ahead += 1) source.peek((index + ahead) % urls.length);
    };
    draw();
    const stop = usePlayhead.subscribe((state, before) => {
      if (state.index !== before.index) draw();
    });
    return () => {
      over = true;
      stop();
      source.close();
    };
  }, [urls, width, height]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="The whole frame, playing"
      className="absolute inset-0 h-full w-full"
    />
  );
}
