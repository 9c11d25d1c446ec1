// Draws sheets: the real file where there is one, otherwise its cells where they will lie.

import type { Project, SheetInfo } from "../../api/client";
import { closed, drawFrame, type LoadedSheet } from "../../player/sheet";
import { fetched } from "../images";
import { printOf } from "../prints";
import { placeOf, type Cell, type Extent } from "./layout";

export interface View {
  /** Screen pixels to a pixel of the sheet. */
  scale: number;
  /** Where the sheets' corner is on the canvas. */
  left: number;
  top: number;
  width: number;
  height: number;
}

export interface Content {
  project: Project;
  info: SheetInfo;
  cells: readonly Cell[];
  extent: Extent;
  /** The file that was made last, and the frames that its steps show. */
  sheet: LoadedSheet | undefined;
  positions: readonly number[];
  /** Its frames lie where they lie here: it is drawn as it is. */
  alike: boolean;
}

/** Cells narrower than this on the screen are not told apart by lines. */
const RULED = 8;
const [LIGHT, DARK, AMBER] = ["#e9e9e7", "#d2d2d0", "#8d5300"];

export function paintSheets(
  context: CanvasRenderingContext2D,
  view: View,
  content: Content,
  ready: () => void,
): void {
  const { scale, left, top, width, height } = view;
  const { info, cells, extent } = content;
  context.clearRect(0, 0, width, height);
  context.save();
  context.translate(left, top);
  context.scale(scale, scale);
  context.imageSmoothingEnabled = scale < 1;
  context.imageSmoothingQuality = "high";
  info.sheets.forEach(([across, down], number) => {
    const corner = extent.corners[number] ?? { x: 0, y: 0 };
    context.fillStyle = chequer(context, scale);
    context.fillRect(corner.x, corner.y, across, down);
    const image = content.sheet?.images[number];
    if (content.alike && image && !closed(image)) context.drawImage(image, corner.x, corner.y);
  });
  // Soon replaced by the file, and many: drawn quickly.
  context.imageSmoothingQuality = "low";
  if (!content.alike || info.off.length > 0) paintCells(context, content, ready);
  context.restore();
  const lined = cells.every((cell) => Math.min(cell.width, cell.height) * scale >= RULED);
  if (lined) {
    context.strokeStyle = "rgb(20 24 30 / 0.28)";
    context.lineWidth = 1;
    for (const cell of cells) {
      const at = placeOf(extent, cell);
      context.strokeRect(
        Math.round(left + at.x * scale) + 0.5,
        Math.round(top + at.y * scale) + 0.5,
        Math.round(cell.width * scale) - 1,
        Math.round(cell.height * scale) - 1,
      );
    }
  }
  if (info.off.length > 0) paintLimit(context, view, content);
}

function paintCells(context: CanvasRenderingContext2D, content: Content, ready: () => void): void {
  const { cells, info, extent, sheet, positions, project } = content;
  const known = new Map(positions.map((position, index) => [position, index]));
  const [crop, placed] = [info.crop, info.placed];
  const [across, down] = [placed[2] / crop[2], placed[3] / crop[3]];
  for (const cell of cells) {
    const [left, top, width, height] = info.boxes[cell.item] ?? [0, 0, 0, 0];
    const position = info.positions[cell.item] ?? 0;
    const frame = project.frame_list[position - 1];
    const index = known.get(position);
    const made = index === undefined ? undefined : sheet?.document.frames[index];
    context.save();
    const at = placeOf(extent, cell);
    context.translate(at.x, at.y);
    context.beginPath();
    context.rect(0, 0, cell.width, cell.height);
    context.clip();
    if (cell.turned) {
      context.translate(cell.width, 0);
      context.rotate(Math.PI / 2);
    }
    context.translate(-left, -top);
    const alike =
      made &&
      [made.canvas_width, made.canvas_height].join() === info.canvas.join() &&
      made.offset_x <= left &&
      made.offset_y <= top &&
      made.offset_x + made.width >= left + width &&
      made.offset_y + made.height >= top + height;
    if (sheet && index !== undefined && alike) drawFrame(context, sheet, index);
    else if (frame) {
      // Not made yet in this form: its small picture, as it is cropped and scaled.
      const print = printOf(project, frame);
      const image = fetched(print.url, ready);
      if (image)
        context.drawImage(
          image,
          ...[print.left, print.top, print.width, print.height],
          placed[0] - crop[0] * across,
          placed[1] - crop[1] * down,
          frame.width * across,
          frame.height * down,
        );
    }
    context.restore();
  }
}

/** The longest side allowed, and what lies beyond it hatched. */
function paintLimit(
  context: CanvasRenderingContext2D,
  { scale, left, top }: View,
  { info, cells, extent }: Content,
): void {
  const most = info.most * scale;
  const [right, bottom] = [extent.width * scale, extent.height * scale];
  context.fillStyle = hatch(context);
  for (const cell of cells) {
    if (!cell.off) continue;
    const at = placeOf(extent, cell);
    context.fillRect(left + at.x * scale, top + at.y * scale, cell.width * scale, cell.height * scale);
  }
  context.strokeStyle = AMBER;
  context.lineWidth = 2;
  context.beginPath();
  if (right > most) {
    context.moveTo(left + most, top - 4);
    context.lineTo(left + most, top + bottom + 4);
  }
  if (bottom > most) {
    context.moveTo(left - 4, top + most);
    context.lineTo(left + right + 4, top + most);
  }
  context.stroke();
}

function tile(width: number, height: number, draw: (inner: CanvasRenderingContext2D) => void) {
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const inner = canvas.getContext("2d");
  if (inner) draw(inner);
  return canvas;
}

/** Squares of eight pixels of the screen. */
function chequer(context: CanvasRenderingContext2D, scale: number): CanvasPattern | string {
  const pattern = context.createPattern(
    tile(16, 16, (inner) => {
      inner.fillStyle = LIGHT;
      inner.fillRect(0, 0, 16, 16);
      inner.fillStyle = DARK;
      inner.fillRect(0, 0, 8, 8);
      inner.fillRect(8, 8, 8, 8);
    }),
    "repeat",
  );
  pattern?.setTransform(new DOMMatrix().scale(1 / scale));
  return pattern ?? LIGHT;
}

function hatch(context: CanvasRenderingContext2D): CanvasPattern | string {
  const pattern = context.createPattern(
    tile(10, 10, (inner) => {
      inner.fillStyle = "rgb(241 201 128 / 0.55)";
      inner.fillRect(0, 0, 10, 10);
      inner.strokeStyle = "rgb(141 83 0 / 0.75)";
      inner.lineWidth = 2.5;
      for (const from of [-10, 0, 10]) {
        inner.beginPath();
        inner.moveTo(from, 10);
        inner.lineTo(from + 10, 0);
        inner.stroke();
      }
    }),
    "repeat",
  );
  return pattern ?? "rgb(241 201 128 / 0.6)";
}
