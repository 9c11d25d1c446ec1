// Where a frame's small picture lies on the sheets that hold many of them.

import type { CSSProperties } from "react";
import { printsUrl, thumbUrl, type FrameInfo, type Project } from "../api/client";

const ACROSS = 6;
const SHEET = ACROSS * ACROSS;
/** The room of each picture on a sheet. */
const ROOM = { width: 160, height: 112 };

/** The most pixels across and down of a picture that is fetched by itself. */
const ALONE = { width: 400, height: 112 };

/** A part of a sheet, or a picture by itself, in its pixels. */
export interface Print {
  url: string;
  left: number;
  top: number;
  width: number;
  height: number;
}

const fitIn = (frame: FrameInfo, room: { width: number; height: number }) => {
  const fit = Math.min(1, room.width / frame.width, room.height / frame.height);
  return {
    width: Math.max(1, Math.round(frame.width * fit)),
    height: Math.max(1, Math.round(frame.height * fit)),
  };
};

/** A frame's picture by itself: for a few that are wanted out of many. */
export const thumbOf = (frame: FrameInfo): Print => ({
  url: thumbUrl(frame.sha256),
  left: 0,
  top: 0,
  ...fitIn(frame, ALONE),
});

/** A frame's picture on its sheet: for many that are wanted together. */
export function printOf(project: Pick<Project, "id" | "frame_set">, frame: FrameInfo): Print {
  const place = (frame.position - 1) % SHEET;
  return {
    url: printsUrl(project.id, project.frame_set, Math.floor((frame.position - 1) / SHEET) + 1),
    left: (place % ACROSS) * ROOM.width,
    top: Math.floor(place / ACROSS) * ROOM.height,
    ...fitIn(frame, ROOM),
  };
}

/** A frame as large as it is where it has so much room, its picture as the background. */
export function shownIn(
  project: Pick<Project, "id" | "frame_set">,
  frame: FrameInfo,
  width: number,
  height: number,
): CSSProperties {
  const print = printOf(project, frame);
  const fit = Math.min(1, width / frame.width, height / frame.height);
  const across = Math.max(1, frame.width * fit);
  const scale = across / print.width;
  return {
    width: across,
    height: Math.max(1, frame.height * fit),
    backgroundImage: `url("${print.url}")`,
    backgroundSize: `${ACROSS * ROOM.width * scale}px auto`,
    backgroundPosition: `${-print.left * scale}px ${-print.top * scale}px`,
  };
}
