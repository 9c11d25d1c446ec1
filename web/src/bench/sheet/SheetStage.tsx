// The sheets on the stage: where every frame lies, the one that plays lit, what does not fit running off.

import { useEffect, useMemo, useReducer, useRef, useState, type PointerEvent } from "react";
import { size } from "../../format";
import { show, usePlayhead } from "../../player/playhead";
import { Segmented } from "../../ui/controls";
import { follow } from "../../ui/drag";
import { useRoom } from "../../ui/useRoom";
import type { JobInfo } from "../../api/client";
import type { Bench } from "../edits";
import { StageNews } from "../StageNews";
import { fitted, usePainting } from "../strip/usePainting";
import type { Shown } from "../useShown";
import { ZOOMS } from "../view";
import {
  cellAt,
  cellsOf,
  extentOf,
  liesAlike,
  placeOf,
  rowsOf,
  useLook,
  type Cell,
  type Extent,
  type LaidOut,
} from "./layout";
import { spanOf } from "./anchor";
import { AnchorInset } from "./AnchorInset";
import { paintSheets, type Content, type View } from "./paint";

/** Room for the names of rows. */
const NAMES = 78;
/** A pull of fewer pixels is a click. */
const CLICK = 4;
/** Room for the playing frame. */
const CORNER = 110;

export function SheetStage({
  bench,
  laid,
  shown,
  error,
  behind,
  busy,
  job,
  onCancel,
  onRetry,
}: {
  bench: Bench;
  laid: LaidOut | null;
  shown: Shown | null;
  error: string;
  behind: boolean;
  busy: boolean;
  job: JobInfo | undefined;
  onCancel: () => void;
  onRetry: () => void;
}) {
  // That frames run off is seen, and the panel says what helps.
  const seen = job?.state === "failed" && laid?.info.off.length ? undefined : job;
  return (
    <section
      aria-label="Sheet"
      className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage"
      data-result={shown?.result.id ?? ""}
      data-revision={shown?.result.revision_id ?? ""}
    >
      {laid?.info.measured ? (
        <Sheets bench={bench} laid={laid} shown={shown} behind={behind} />
      ) : (
        <div className="flex h-full items-center justify-center">
          {job?.state !== "failed" && (
            <p className="rounded-[8px] bg-card px-4 py-2">Looking at what each frame uses…</p>
          )}
        </div>
      )}
      <StageNews job={seen} busy={busy} error={error} onCancel={onCancel} onRetry={onRetry} />
    </section>
  );
}

function Sheets({
  bench,
  laid: { info, stale },
  shown,
  behind,
}: {
  bench: Bench;
  laid: LaidOut;
  shown: Shown | null;
  behind: boolean;
}) {
  const { project } = bench;
  const [area, room] = useRoom();
  const zoom = useLook((state) => state.zoom);
  const [scrolled, setScrolled] = useState({ x: 0, y: 0 });
  const [pointed, setPointed] = useState<{ cell: Cell; x: number; y: number } | null>(null);
  const base = useRef<HTMLCanvasElement>(null);
  const { cells, extent, rows } = useMemo(() => {
    // Scrolled, they lie as in any window: bars that come and go must not move them.
    const [all, around] = [cellsOf(info), extentOf(info, zoom === "fit" ? room : { width: 3, height: 2 })];
    return { cells: all, extent: around, rows: rowsOf(info, all, around) };
  }, [info, room, zoom]);
  const names = rows.some(({ name }) => name !== null) ? NAMES : 0;
  const fit = Math.min((room.width - names - 8) / extent.width, (room.height - 8) / extent.height);
  const scale = zoom === "fit" ? (fit >= 1 ? Math.min(Math.floor(fit), 8) : Math.max(fit, 0.01)) : Number(zoom);
  const [across, down] = [extent.width * scale, extent.height * scale];
  const spare = { x: Math.max(0, (room.width - names - across) / 2), y: Math.max(0, (room.height - down) / 2) };
  const view: View = {
    scale,
    left: Math.round(names + spare.x - scrolled.x),
    top: Math.round(spare.y - scrolled.y),
    ...room,
  };
  const fresh = !behind && !stale && info.off.length === 0;
  const sheet = shown?.frames.sheet;
  const alike = useMemo(() => liesAlike(info, sheet?.document), [info, sheet]);
  const content: Content = {
    project,
    info,
    cells,
    extent,
    sheet,
    positions: shown?.result.positions ?? [],
    alike,
  };
  const [repainted, requestRepaint] = useReducer((times: number) => times + 1, 0);
  usePainting(() => {
    const context = fitted(base.current, room.width, room.height);
    if (!context || scale <= 0) return;
    paintSheets(context, view, content, requestRepaint);
    if (base.current) base.current.dataset.painted = `${info.sheets.join("x")} ${cells.length}`;
  }, [info, extent, shown, alike, scale, view.left, view.top, room.width, room.height, repainted]);
  const at = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    const cell = cellAt(cells, extent, (x - view.left) / scale, (y - view.top) / scale);
    return cell ? { cell, x, y } : null;
  };
  const pull = (event: PointerEvent<HTMLDivElement>) => {
    const [chosen, element] = [at(event), event.currentTarget];
    const from = { x: event.clientX, y: event.clientY, left: element.scrollLeft, top: element.scrollTop };
    let far = false;
    follow(
      event,
      (to) => {
        far ||= Math.hypot(to.clientX - from.x, to.clientY - from.y) >= CLICK;
        if (far) element.scrollTo(from.left - (to.clientX - from.x), from.top - (to.clientY - from.y));
      },
      (calledOff) => {
        if (calledOff) element.scrollTo(from.left, from.top);
        else if (!far && chosen) show(info.of_step.indexOf(chosen.cell.item));
      },
    );
  };
  return (
    <>
      <canvas
        ref={base}
        role="img"
        aria-label={`${info.sheets.length === 1 ? "The sheet" : `${info.sheets.length} sheets`}, ${info.sheets.map((sides) => sides.join(" × ")).join(", ")}`}
        className="absolute top-3 left-3"
        style={{ width: room.width, height: room.height }}
      />
      <Marks info={info} cells={cells} extent={extent} view={view} pointed={pointed?.cell} />
      {names > 0 &&
        rows.map(({ name, count, top, bottom }) => {
          const y = view.top + ((top + bottom) / 2) * scale;
          return (bottom - top) * scale < 11 || y < 0 || y > room.height ? null : (
            <span
              key={name ?? ""}
              className="pointer-events-none absolute left-3 truncate text-right text-xs font-semibold text-[#12181f]"
              style={{
                top: y + 12 - 8,
                width: names - 8 + Math.min(spare.x, 60),
                left: 12 + Math.max(0, spare.x - 60),
              }}
            >
              {name ?? "others"} <span className="figure font-normal">{count}</span>
            </span>
          );
        })}
      <div
        ref={area}
        role="presentation"
        className="absolute inset-x-3 top-3 bottom-[52px] cursor-crosshair touch-none overflow-auto"
        onScroll={(event) =>
          setScrolled({ x: event.currentTarget.scrollLeft, y: event.currentTarget.scrollTop })
        }
        onPointerDown={pull}
        onPointerMove={(event) => setPointed(at(event))}
        onPointerLeave={() => setPointed(null)}
      >
        {/* So far that the last cells come out from under what lies over the corner. */}
        <div style={{ width: names + across, height: down + (down > room.height ? CORNER : 0) }} />
      </div>
      {pointed && <Pointed bench={bench} info={info} places={shown?.result.places ?? []} {...pointed} />}
      <AnchorInset bench={bench} shown={shown} />
      <span className="pointer-events-none absolute top-3 right-3 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
        {stale
          ? "laid out before the last change"
          : fresh && shown
            ? `${bench.output.format === "sheet" ? bench.output.picture.toUpperCase() : ""} · ${size(shown.result.info.picture_bytes ?? 0)}`
            : info.off.length > 0
              ? "no file: not all frames fit"
              : "laid out; the file is being made"}
      </span>
      <div className="absolute bottom-3 left-3 rounded-[8px] bg-card p-0.5">
        <Segmented
          dark
          label="Zoom"
          value={zoom}
          choices={ZOOMS}
          onChange={(next) => useLook.setState({ zoom: next })}
        />
      </div>
    </>
  );
}

/** The cell that plays, lit, and the one that is pointed at. */
function Marks({
  info,
  cells,
  extent,
  view,
  pointed,
}: {
  info: LaidOut["info"];
  cells: readonly Cell[];
  extent: Extent;
  view: View;
  pointed: Cell | undefined;
}) {
  const marks = useRef<HTMLCanvasElement>(null);
  const index = usePlayhead((state) => state.index);
  const playing = cells[info.of_step[Math.min(index, info.of_step.length - 1)] ?? 0];
  // Painted at once, not with the next picture of the screen: while it plays there is always another one due.
  useEffect(() => {
    const context = fitted(marks.current, view.width, view.height);
    if (!context) return;
    context.clearRect(0, 0, view.width, view.height);
    const frame = (cell: Cell, colour: string, wide: number) => {
      const at = placeOf(extent, cell);
      context.lineWidth = wide;
      context.strokeStyle = colour;
      context.strokeRect(
        view.left + at.x * view.scale,
        view.top + at.y * view.scale,
        cell.width * view.scale,
        cell.height * view.scale,
      );
    };
    if (pointed) frame(pointed, "#fffdf9", 3);
    if (playing) {
      frame(playing, "#fffdf9", 4.5);
      frame(playing, "#1766c2", 2.5);
    }
    if (marks.current) marks.current.dataset.cell = String(playing?.item ?? "");
  });
  return (
    <canvas
      ref={marks}
      aria-hidden
      className="absolute top-3 left-3"
      style={{ width: view.width, height: view.height }}
    />
  );
}

/** Which frame a cell holds, and where it lies. */
function Pointed({
  bench,
  info,
  places,
  cell,
  x,
  y,
}: {
  bench: Bench;
  info: LaidOut["info"];
  places: readonly number[];
  cell: Cell;
  x: number;
  y: number;
}) {
  const frame = bench.project.frame_list[(info.positions[cell.item] ?? 0) - 1];
  const [left, top] = info.boxes[cell.item] ?? [0, 0];
  const span = spanOf(bench.recipe.rhythm.spans, places[info.of_step.indexOf(cell.item)] ?? 0);
  return (
    <div
      role="status"
      aria-label="Cell"
      className="pointer-events-none absolute z-10 max-w-[260px] rounded-[7px] bg-[#1c2530]/95 px-2 py-1 text-xs text-[#fffdf9]"
      style={{ left: Math.max(8, x + 24 > 620 ? x - 190 : x + 24), top: Math.max(8, y - 12) }}
    >
      <b className="block truncate">{frame?.name ?? "empty"}</b>
      {span && <span className="block">{span}</span>}
      <span className="figure block">
        {cell.x}, {cell.y} · {cell.width} × {cell.height}
        {cell.turned ? " turned" : ""}
      </span>
      {(left > 0 || top > 0) && (
        <span className="figure block">
          offset {left}, {top}
        </span>
      )}
      {cell.off && <span className="block font-semibold text-[#f1c980]">▲ does not fit</span>}
    </div>
  );
}
