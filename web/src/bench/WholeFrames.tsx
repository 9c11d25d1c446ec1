// The frames as they came, playing, moved as they are lined up; alone, or against the one they are lined up on.

import { useEffect, useMemo } from "react";
import { viewUrl } from "../api/client";
import { openSource, type FrameSource } from "../player/frames";
import { usePlayed, type Played } from "../player/usePlayed";
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
  const canvas = usePlayed(
    useMemo<Played | null>(() => {
      if (!source || !positions) return null;
      const compared = look !== "result" && anchor > 0;
      const put = (context: CanvasRenderingContext2D, image: ImageBitmap, position: number) => {
        const cover = line_up?.cover === "enlarge" ? enlarged : 1;
        if (line_up) {
          const move = moveOf(line_up, position);
          context.setTransform(...transformOf(move, line_up.drawn_on, image.width, image.height, cover));
        }
        context.drawImage(image, 0, 0);
        context.resetTransform();
      };
      return {
        count: positions.length,
        takes: (step) =>
          compared
            ? [
                [source, step],
                [source, positions.length],
              ]
            : [[source, step]],
        paint: (context, [image, still], step) => {
          if (!image || (compared && !still)) return;
          const { canvas } = context;
          const position = positions[step] ?? 0;
          if (canvas.width !== image.width || canvas.height !== image.height)
            [canvas.width, canvas.height] = [image.width, image.height];
          else context.clearRect(0, 0, image.width, image.height);
          canvas.dataset.position = String(position);
          if (still && look === "difference") {
            context.fillStyle = "#000";
            context.fillRect(0, 0, image.width, image.height);
            put(context, still, anchor);
            context.globalCompositeOperation = "difference";
            put(context, image, position);
            context.globalCompositeOperation = "lighter";
            for (let doubling = 0; doubling < 2; doubling += 1) context.drawImage(canvas, 0, 0);
          } else {
            put(context, image, position);
            context.globalAlpha = 0.5;
            if (still) put(context, still, anchor);
          }
          context.globalAlpha = 1;
          context.globalCompositeOperation = "source-over";
        },
      };
    }, [source, positions, line_up, enlarged, look, anchor]),
  );
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="The whole frame, playing"
      className="absolute inset-0 h-full w-full"
    />
  );
}
