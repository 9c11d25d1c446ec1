// Where an output's pictures lie on its sheets under the recipe as it is, before a file is made of it.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, data, type SheetInfo } from "../../api/client";
import type { SheetDocument } from "../../player/sheet";
import type { Bench } from "../edits";
import type { Zoom } from "../view";

export type Look = "sheet" | "frames" | "scene";

/** What the stage shows of a sheet, or of a set of frames. */
export const useLook = create<{ look: Look; zoom: Zoom }>(() => ({ look: "sheet", zoom: "fit" }));

/** Whose anchor is set: that of all frames, of the span on show, or of the frame on show. */
export const useAnchor = create<{ of: "all" | "span" | "frame" }>(() => ({ of: "all" }));

export interface LaidOut {
  info: SheetInfo;
  /** It is of an earlier recipe. */
  stale: boolean;
}

/** The layout; the one before stays until the new one is there. */
export function useLayout(bench: Bench, result: number | undefined): LaidOut | null {
  const { project, recipe, output } = bench;
  const asked = output.format === "sheet";
  // Only what a layout can depend on.
  const { size, take, framing } = output;
  const own = asked
    ? [
        ...[output.layout, output.cell, output.columns, output.rows, output.row_order, output.turn],
        ...[output.margin, output.spacing, output.extrude, output.sides, output.widest, output.split],
        ...[output.pixels, output.mip_levels],
      ]
    : [];
  const shared = [recipe.gather, recipe.rhythm, recipe.framing, size, take, framing];
  const query = useQuery({
    // Pictures that were not looked at before are once there is a result of them.
    queryKey: ["sheet", project.id, project.frame_set, output.id, own, shared, result],
    queryFn: ({ signal }) =>
      data<SheetInfo>(
        api.POST("/api/projects/{project_id}/sheet", {
          params: { path: { project_id: project.id } },
          body: { recipe, output_id: output.id },
          signal,
        }),
      ),
    enabled: asked,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  return query.data ? { info: query.data, stale: query.isPlaceholderData } : null;
}

export interface Cell {
  item: number;
  sheet: number;
  x: number;
  y: number;
  /** On the sheet, so that a turned one is as wide as its picture is high. */
  width: number;
  height: number;
  turned: boolean;
  off: boolean;
}

/** The cells of a layout, each as it lies on its sheet. */
export function cellsOf(info: SheetInfo): Cell[] {
  const off = new Set(info.off);
  return info.cells.map(([sheet, x, y, turned], item) => {
    const [, , width, height] = info.boxes[item] ?? [0, 0, 0, 0];
    const [across, down] = turned ? [height, width] : [width, height];
    return { item, sheet, x, y, width: across, height: down, turned: turned === 1, off: off.has(item) };
  });
}

/** How far apart sheets lie when there are several, in their pixels. */
const APART = 24;

export interface Extent {
  /** Where each sheet's corner is. */
  corners: { x: number; y: number }[];
  width: number;
  height: number;
}

/** Sheets side by side in so many columns, and what runs off them. */
function arranged(info: SheetInfo, columns: number): Extent {
  const corners: { x: number; y: number }[] = [];
  const widths = Array.from({ length: columns }, (_, column) =>
    Math.max(0, ...info.sheets.filter((_, number) => number % columns === column).map(([across]) => across)),
  );
  let [y, high] = [0, 0];
  info.sheets.forEach(([, down], number) => {
    const column = number % columns;
    if (column === 0 && number > 0) [y, high] = [y + high + APART, 0];
    high = Math.max(high, down);
    corners.push({ x: widths.slice(0, column).reduce((sum, width) => sum + width + APART, 0), y });
  });
  let width = widths.reduce((sum, one) => sum + one + APART, -APART);
  let height = y + high;
  for (const cell of cellsOf(info)) {
    const corner = corners[cell.sheet] ?? { x: 0, y: 0 };
    width = Math.max(width, corner.x + cell.x + cell.width);
    height = Math.max(height, corner.y + cell.y + cell.height);
  }
  return { corners, width, height };
}

/**
 * All sheets, as large as a room lets them be seen. What has rows with names, or runs off, lies in one column: names
 * stand beside it, and what runs off lies below.
 */
export function extentOf(info: SheetInfo, room: { width: number; height: number }): Extent {
  const named = info.rows.some(({ name }) => name !== null);
  const most = named || info.off.length > 0 ? 1 : Math.max(1, info.sheets.length);
  const all = Array.from({ length: most }, (_, more) => arranged(info, more + 1));
  const scale = (one: Extent) => Math.min(room.width / one.width, room.height / one.height);
  return all.reduce((best, one) => (scale(one) > scale(best) ? one : best));
}

/** Where a cell lies among all sheets. */
export function placeOf(extent: Extent, cell: Cell): { x: number; y: number } {
  const corner = extent.corners[cell.sheet] ?? { x: 0, y: 0 };
  return { x: corner.x + cell.x, y: corner.y + cell.y };
}

/** Whether the frames of a file lie as they are laid out here. */
export function liesAlike(info: SheetInfo, document: SheetDocument | undefined): boolean {
  if (document?.frames.length !== info.of_step.length) return false;
  const sheets = document.sheets.map(({ width, height }) => [width, height]);
  if (sheets.join() !== info.sheets.join()) return false;
  return document.frames.every((frame, step) => {
    const item = info.of_step[step] ?? 0;
    const [box, cell] = [info.boxes[item], info.cells[item]];
    const own = [frame.sheet, frame.x, frame.y, Number(frame.turned)];
    const part = [frame.offset_x, frame.offset_y, frame.width, frame.height];
    return own.join() === cell?.join() && part.join() === box?.join();
  });
}

/** The cell at a point of all sheets. */
export function cellAt(cells: readonly Cell[], extent: Extent, x: number, y: number): Cell | undefined {
  return cells.find((cell) => {
    const at = placeOf(extent, cell);
    return x >= at.x && x < at.x + cell.width && y >= at.y && y < at.y + cell.height;
  });
}

/** For each row of even cells its name, and where it begins and ends from the top. */
export function rowsOf(info: SheetInfo, cells: readonly Cell[], extent: Extent) {
  let item = 0;
  return info.rows.map(({ name, count }) => {
    const some = cells.slice(item, item + count);
    item += count;
    const tops = some.map((cell) => placeOf(extent, cell).y);
    const last = some.at(-1);
    return { name, count, top: Math.min(...tops), bottom: Math.max(...tops) + (last?.height ?? 0) };
  });
}
