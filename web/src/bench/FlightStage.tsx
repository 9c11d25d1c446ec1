// A cut-out placed at its start and its end by hand, all places between showing faintly.

import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { viewUrl } from "../api/client";
import { arrowStep, follow } from "../ui/drag";
import { useRoom } from "../ui/useRoom";
import type { Bench } from "./edits";
import { setFlight, stands, useFlight, type Stand } from "./flight";

export function FlightStage({ bench }: { bench: Bench }) {
  const { frame_list } = bench.project;
  const flight = useFlight((state) => state.flight);
  const [area, room] = useRoom();
  const canvas = useRef<HTMLCanvasElement>(null);
  const cutOut = frame_list[flight.cutOut - 1];
  const below = frame_list[flight.backdrop - 1];
  const sides = below ?? cutOut ?? { width: 1, height: 1 };
  const art = usePicture(cutOut?.sha256);
  const ground = usePicture(below?.sha256);
  const scale = Math.min(room.width / sides.width, room.height / sides.height, 4) || 0;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !art || !cutOut) return;
    context.clearRect(0, 0, sides.width, sides.height);
    if (ground) context.drawImage(ground, 0, 0, sides.width, sides.height);
    const all = stands(flight);
    all.forEach((stand, index) => {
      const ends = index === 0 || index === all.length - 1;
      context.setTransform(1, 0, 0, 1, stand.x, stand.y);
      context.rotate((stand.turn * Math.PI) / 180);
      context.scale(stand.scale, stand.scale);
      context.globalAlpha = stand.opacity * (ends ? 0.95 : 0.28);
      context.drawImage(art, -cutOut.width / 2, -cutOut.height / 2, cutOut.width, cutOut.height);
    });
    context.resetTransform();
    context.globalAlpha = 1;
  }, [art, ground, flight, cutOut, sides.width, sides.height]);
  const move = (which: "start" | "end", to: Partial<Stand>) =>
    setFlight({ [which]: { ...flight[which], ...to } });
  const pull = (which: "start" | "end") => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    const { clientX, clientY } = event;
    const { x, y } = flight[which];
    follow(
      event,
      (to) =>
        move(which, {
          x: Math.round(x + (to.clientX - clientX) / scale),
          y: Math.round(y + (to.clientY - clientY) / scale),
        }),
      (calledOff) => calledOff && move(which, { x, y }),
    );
  };
  const nudge = (which: "start" | "end") => (event: KeyboardEvent) => {
    const by = arrowStep(event);
    if (!by) return;
    move(which, { x: flight[which].x + by[0], y: flight[which].y + by[1] });
  };
  return (
    <section aria-label="Cut-out" className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage">
      <div ref={area} className="absolute inset-4">
        <div
          className="chequer absolute top-1/2 left-1/2 -translate-1/2"
          style={{ width: `${sides.width * scale}px`, height: `${sides.height * scale}px` }}
        >
          <canvas
            ref={canvas}
            role="img"
            aria-label="The cut-out from its start to its end"
            width={sides.width}
            height={sides.height}
            className="absolute inset-0 h-full w-full"
          />
          {(["start", "end"] as const).map((which) => (
            <button
              key={which}
              type="button"
              aria-label={`${which === "start" ? "Start" : "End"}, at ${flight[which].x}, ${flight[which].y}`}
              onPointerDown={pull(which)}
              onKeyDown={nudge(which)}
              className="absolute -translate-1/2 cursor-move touch-none rounded-[6px] border-2 border-white bg-[#1c2530] px-1.5 text-xs font-semibold text-[#fffdf9]"
              style={{ left: flight[which].x * scale, top: flight[which].y * scale }}
            >
              {which}
            </button>
          ))}
        </div>
      </div>
    </section>
  );
}

/** A source frame as a picture to draw. */
function usePicture(sha256: string | undefined): HTMLImageElement | null {
  const [picture, setPicture] = useState<HTMLImageElement | null>(null);
  useEffect(() => {
    setPicture(null);
    if (!sha256) return;
    const image = new Image();
    image.onload = () => setPicture(image);
    image.src = viewUrl(sha256);
    return () => {
      image.onload = null;
    };
  }, [sha256]);
  return picture;
}
