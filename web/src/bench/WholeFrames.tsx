// The frames as they came, playing, moved as they are lined up; alone, or against the one they are lined up on.

import { useEffect, useMemo, useRef } from "react";
import { viewUrl } from "../api/client";
import { openSource, type FrameSource } from "../player/frames";
import { usePlayhead } from "../player/playhead";
import type { Bench } from "./edits";
import { moveOf, transformOf, useSteady, type Look } from "./lineUp";
import type { Shown } from "./useShown";

export function WholeFrames({
  bench,
  shown,
  look = "result",
  anchor = 0,
}: {
  bench: Bench;
  shown: Shown | null;
  look?: Look;
  /** The position of the frame that the others are compared with. */
  anchor?: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, frame_list } = bench.project;
  const { line_up } = bench.recipe.framing;
  const enlarged = useSteady(bench)?.enlarged ?? 1;
  const played = shown?.result.positions.join(" ") ?? "";
  // A new result mostly plays the same frames: they need not be read and decoded again.
  const positions = useMemo(() => (played ? played.split(" ").map(Number) : null), [played]);
  const picture = (position: number) => viewUrl(frame_list[position - 1]?.sha256 ?? "");
  const urls = useMemo(
    () => (positions ? [...positions.map(picture), picture(anchor || 1)] : []),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [positions, frame_list, anchor],
  );
  const source = useMemo<FrameSource | null>(
    () => (urls.length > 0 ? openSource(urls, { width, height }) : null),
    [urls, width, height],
  );
  useEffect(() => () => source?.close(), [source]);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !source || !positions) return;
    let over = false;
    const compared = look !== "result" && anchor > 0;
    const put = (image: ImageBitmap, position: number) => {
      const cover = line_up?.cover === "enlarge" ? enlarged : 1;
      if (line_up) {
        const move = moveOf(line_up, position);
        context.setTransform(...transformOf(move, line_up.drawn_on, image.width, image.height, cover));
      }
      context.drawImage(image, 0, 0);
      context.resetTransform();
    };
    const draw = () => {
      const { index } = usePlayhead.getState();
      const paint = (image: ImageBitmap, still: ImageBitmap | undefined) => {
        if (over || !canvas.current) return;
        if (canvas.current.width !== image.width || canvas.current.height !== image.height) {
          canvas.current.width = image.width;
          canvas.current.height = image.height;
        } else context.clearRect(0, 0, image.width, image.height);
        canvas.current.dataset.position = String(positions[index] ?? 0);
        if (still && look === "difference") {
          context.fillStyle = "#000";
          context.fillRect(0, 0, image.width, image.height);
          put(still, anchor);
          context.globalCompositeOperation = "difference";
          put(image, positions[index] ?? 0);
          context.globalCompositeOperation = "lighter";
          for (let doubling = 0; doubling < 2; doubling += 1) context.drawImage(context.canvas, 0, 0);
        } else {
          put(image, positions[index] ?? 0);
          if (still) {
            context.globalAlpha = 0.5;
            put(still, anchor);
          }
        }
        context.globalAlpha = 1;
        context.globalCompositeOperation = "source-over";
      };
      const [there, still] = [source.peek(index), compared ? source.peek(urls.length - 1) : undefined];
      if (there && (still || !compared)) paint(there, still);
      else
        Promise.all([source.get(index), compared ? source.get(urls.length - 1) : undefined])
          .then(([image, other]) => usePlayhead.getState().index === index && paint(image, other))
          .catch(() => undefined);
      for (let ahead = 1; ahead <= 4; ahead += 1) source.peek((index + ahead) % positions.length);
    };
    draw();
    const stop = usePlayhead.subscribe((state, before) => {
      if (state.index !== before.index) draw();
    });
    return () => {
      over = true;
      stop();
    };
  }, [source, positions, urls, line_up, enlarged, look, anchor]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="The whole frame, playing"
      className="absolute inset-0 h-full w-full"
    />
  );
}
