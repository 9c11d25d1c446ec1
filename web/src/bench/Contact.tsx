// All frames of a project as a grid with their numbers: gaps drawn as gaps, problems marked. Drawn lazily.

import { useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  memo,
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type RefObject,
} from "react";
import { useNavigate } from "react-router";
import { api, data, type FrameInfo, type Project, type ProjectCard } from "../api/client";
import { count } from "../format";
import { toggle, usePlayhead } from "../player/playhead";
import { Button, IconButton } from "../ui/controls";
import { useWidth } from "../ui/useWidth";
import { useFocusBack } from "../ui/refocus";
import { tellError } from "../ui/notices";
import { X } from "lucide-react";
import { cellsOf, choose, useContact, type Cell } from "./contact";
import type { Bench } from "./edits";
import { findings, leaveOutPositions, putBackPositions } from "./findings";
import { arranged, moved, movedBefore } from "./order";
import { shownIn } from "./prints";
import { runsOf, setEnd, type Span } from "./range";
import { spanOf } from "./sheet/anchor";
import { reorder } from "./selection";

const CELL = { width: 112, height: 98 };
const PADDING = 12;
/** What is dragged from cell to cell: places, and nothing from outside. */
const DRAGGED = "application/x-place";

export function Contact({ bench }: { bench: Bench }) {
  const { project, recipe } = bench;
  const { chosen, focus } = useContact();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [scroller, width] = useWidth();
  const columns = Math.max(1, Math.floor((width - 2 * PADDING) / CELL.width));
  useEffect(() => () => useContact.setState({ chosen: new Set(), anchor: 1, focus: 1 }), [project.id]);

  const order = useMemo(() => arranged(recipe.rhythm, project.frames), [recipe.rhythm, project.frames]);
  const { frame_list: gathered, report } = project;
  const cells = useMemo(() => cellsOf(gathered, report.parts, order), [gathered, report.parts, order]);
  const marks = useMemo(() => {
    const words = new Map<number, string>();
    for (const finding of findings(project, recipe))
      for (const position of finding.positions)
        words.set(position, [words.get(position), finding.word].filter(Boolean).join(", "));
    return words;
  }, [project, recipe]);
  const out = useMemo(() => new Set(recipe.gather.left_out), [recipe.gather.left_out]);
  const folded = useMemo(() => new Set(recipe.gather.folded), [recipe.gather.folded]);
  const runs = useMemo(() => runsOf(recipe, bench.output, order.length), [recipe, bench.output, order.length]);
  const look = useMemo(
    (): Look => ({ project, spans: recipe.rhythm.spans, chosen, focus, out, folded, marks, runs }),
    [project, recipe.rhythm.spans, chosen, focus, out, folded, marks, runs],
  );
  useFocusBack();
  useEffect(() => scroller.current?.focus({ preventScroll: true }), [scroller]);
  // What cannot be seen need not play; it goes on where it was when the picture is back.
  useEffect(() => {
    const { playing } = usePlayhead.getState();
    if (!playing) return;
    toggle();
    return () => {
      if (!usePlayhead.getState().playing) toggle();
    };
  }, []);

  const places = [...chosen].sort((a, b) => a - b);
  const positions = [...new Set(places.map((place) => order[place - 1] ?? 0))].filter(Boolean);
  const used = positions.filter((position) => !out.has(position));
  const leave = () => {
    if (used.length > 0) bench.edit(`${count(used.length, "frame")} left out`, leaveOutPositions(used));
    else if (positions.length > 0)
      bench.edit(`${count(positions.length, "frame")} put back`, putBackPositions(positions));
  };
  const range = (end: "first" | "last") =>
    setEnd(bench, end, places[end === "first" ? 0 : places.length - 1] ?? focus);
  const arrange = ({ from, to }: { from: number[]; to: number[] }) => {
    if (from.every((place, index) => place === index + 1)) return;
    useContact.setState({ chosen: new Set(to), anchor: to[0] ?? 1, focus: to[0] ?? 1 });
    reorder(bench, `${count(to.length, "frame")} moved`, () => from);
  };
  const move = (by: number) => places.length > 0 && arrange(moved(order.length, places, by));
  const latest = useRef({ places, arrange, count: order.length });
  latest.current = { places, arrange, count: order.length };
  // What cells are handed stays the same, so that choosing one does not draw them all again.
  const moveBefore = useCallback((dragged: number, target: number) => {
    const { places: now, arrange: take, count: many } = latest.current;
    take(movedBefore(many, now.includes(dragged) ? now : [dragged], target));
  }, []);
  const split = (separate: boolean) => {
    data<ProjectCard[]>(
      api.POST("/api/projects/{project_id}/split", {
        params: { path: { project_id: project.id } },
        body: { positions, separate },
      }),
    )
      .then(async (made) => {
        await queries.invalidateQueries({ queryKey: ["shelf"] });
        void navigate(made.length === 1 && made[0] ? `/project/${made[0].id}` : "/");
      })
      .catch(tellError);
  };

  const onKey = (event: KeyboardEvent) => {
    const held = event.ctrlKey || event.metaKey;
    const steps: Record<string, number> = {
      ArrowLeft: -1,
      ArrowRight: 1,
      ArrowUp: -columns,
      ArrowDown: columns,
      PageUp: -columns * 4,
      PageDown: columns * 4,
      Home: -Infinity,
      End: Infinity,
    };
    const by = steps[event.key];
    if (event.altKey && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
      move(event.key === "ArrowLeft" ? -1 : 1);
    } else if (by !== undefined) {
      const next = Math.min(order.length, Math.max(1, focus + by));
      choose(next, event.shiftKey ? "through" : held ? "focus" : "only"); // held, others stay chosen
    } else if (event.key === "Delete" || event.key === "Backspace") leave();
    else if (event.key === " ") choose(focus, "toggle");
    else if (event.key === "Escape") useContact.setState({ chosen: new Set() });
    else if (held && event.key.toLowerCase() === "a")
      useContact.setState({ chosen: new Set(order.map((_, index) => index + 1)) });
    else if (!held && event.key.toLowerCase() === "i") range("first");
    else if (!held && event.key.toLowerCase() === "o") range("last");
    else return;
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <section
      aria-label="Contact view"
      className="alone flex min-h-0 flex-col overflow-clip rounded-[12px] border border-line bg-card"
    >
      <div className="flex min-h-[46px] flex-wrap items-center gap-1.5 border-b border-line px-3 py-2">
        <span role="status" aria-label="Chosen" className="mr-2 text-ink-2">
          <span className="figure text-ink">{places.length || order.length}</span>{" "}
          {places.length > 0 ? "chosen" : "frames"}
        </span>
        <Button disabled={positions.length === 0} onClick={leave} title="Delete">
          {positions.length > 0 && used.length === 0 ? "Put back" : "Leave out"}
        </Button>
        <Button disabled={places.length === 0} onClick={() => move(-1)} title="Alt ←; or drag them">
          Earlier
        </Button>
        <Button disabled={places.length === 0} onClick={() => move(1)} title="Alt →; or drag them">
          Later
        </Button>
        <Button disabled={places.length === 0} onClick={() => range("first")} title="I">
          Range from here
        </Button>
        <Button disabled={places.length === 0} onClick={() => range("last")} title="O">
          Range to here
        </Button>
        <Button disabled={positions.length === 0} onClick={() => split(false)}>
          Project of their own
        </Button>
        <Button
          disabled={positions.length === 0}
          title="Each of them becomes a project by itself"
          onClick={() => split(true)}
        >
          Stills
        </Button>
        <span className="grow" />
        <IconButton
          look="quiet"
          tip="Back to the picture"
          keys="C"
          onClick={() => useContact.setState({ open: false })}
        >
          <X size={15} />
        </IconButton>
      </div>
      <div
        ref={scroller}
        role="listbox"
        aria-label="Frames"
        aria-multiselectable
        aria-activedescendant={`contact-${focus}`}
        tabIndex={0}
        onKeyDown={onKey}
        className="relative min-h-0 grow overflow-y-auto outline-offset-[-2px]"
      >
        {width > 0 && (
          <Grid
            scroller={scroller}
            cells={cells}
            columns={columns}
            width={width}
            look={look}
            onMoveBefore={moveBefore}
          />
        )}
      </div>
    </section>
  );
}

/** How the frames stand: what tells one cell from the next. */
interface Look {
  project: Project;
  spans: readonly Span[];
  chosen: ReadonlySet<number>;
  focus: number;
  out: ReadonlySet<number>;
  folded: ReadonlySet<number>;
  marks: ReadonlyMap<number, string>;
  /** The runs of places that play. */
  runs: ReturnType<typeof runsOf>;
}

/** The rows that can be seen, and a few beside them; scrolling draws only those that come in. */
const Grid = memo(function Grid({
  scroller,
  cells,
  columns,
  width,
  look,
  onMoveBefore,
}: {
  scroller: RefObject<HTMLDivElement | null>;
  cells: readonly Cell[];
  columns: number;
  width: number;
  look: Look;
  onMoveBefore: (dragged: number, target: number) => void;
}) {
  const cellWidth = Math.max(CELL.width, Math.floor((width - 2 * PADDING) / columns));
  const rows = useVirtualizer({
    count: Math.ceil(cells.length / columns),
    getScrollElement: () => scroller.current,
    estimateSize: () => CELL.height,
    overscan: 3,
    paddingStart: PADDING,
    paddingEnd: PADDING,
    directDomUpdates: true,
    directDomUpdatesMode: "position",
    useFlushSync: false,
  });
  useEffect(() => {
    const at = cells.findIndex((cell) => cell.kind === "frame" && cell.place === look.focus);
    rows.scrollToIndex(Math.max(0, Math.floor(at / columns)));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- follows the focus, not every change of the cells
  }, [look.focus, columns]);
  return (
    <div ref={rows.containerRef} className="relative">
      {rows.getVirtualItems().map((row) => (
        <div
          key={row.key}
          ref={rows.measureElement}
          data-index={row.index}
          role="presentation"
          className="absolute"
          style={{ left: PADDING, height: CELL.height }}
        >
          <Row
            cells={cells}
            from={row.index * columns}
            to={(row.index + 1) * columns}
            width={cellWidth}
            look={look}
            onMoveBefore={onMoveBefore}
          />
        </div>
      ))}
    </div>
  );
});

const Row = memo(function Row({
  cells,
  from,
  to,
  width,
  look,
  onMoveBefore,
}: {
  cells: readonly Cell[];
  from: number;
  to: number;
  width: number;
  look: Look;
  onMoveBefore: (dragged: number, target: number) => void;
}) {
  return (
    <div role="presentation" className="flex h-full">
      {cells.slice(from, to).map((cell) => {
        if (cell.kind === "gap")
          return <Gap key={`gap ${cell.from}`} from={cell.from} to={cell.to} width={width} />;
        const { place, position } = cell;
        const outside = look.runs.every(({ first, last }) => place < first || place > last);
        const out = look.out.has(position);
        return (
          <FrameCell
            key={place}
            place={place}
            span={spanOf(look.spans, place)}
            frame={look.project.frame_list[position - 1]}
            project={look.project}
            width={width}
            chosen={look.chosen.has(place)}
            focused={look.focus === place}
            out={out || outside}
            word={[
              out ? "left out" : "",
              look.folded.has(position) ? "folded" : "",
              outside ? "outside the range" : "",
              look.marks.get(position) ?? "",
            ]
              .filter(Boolean)
              .join(", ")}
            marked={look.marks.has(position)}
            onMoveBefore={onMoveBefore}
          />
        );
      })}
    </div>
  );
});

function Gap({ from, to, width }: { from: number; to: number; width: number }) {
  const many = to - from + 1;
  return (
    <div
      className="flex shrink-0 flex-col p-1"
      style={{ width, height: CELL.height }}
      title={`${count(many, "number")} missing`}
    >
      <span className="flex grow items-center justify-center rounded-[6px] border-2 border-dashed border-look/60 px-1 text-center text-xs font-semibold text-look">
        {many === 1 ? "missing" : `${many} missing`}
      </span>
      <span className="figure h-[18px] pt-0.5 text-center text-xs text-look">
        {many === 1 ? from : `${from}–${to}`}
      </span>
    </div>
  );
}

const FrameCell = memo(function FrameCell({
  place,
  span,
  frame,
  project,
  width,
  chosen,
  focused,
  out,
  word,
  marked,
  onMoveBefore,
}: {
  place: number;
  /** The motion that it is part of. */
  span: string | null;
  /** Nothing for an empty one. */
  frame: FrameInfo | undefined;
  project: Project;
  width: number;
  chosen: boolean;
  focused: boolean;
  out: boolean;
  word: string;
  marked: boolean;
  onMoveBefore: (dragged: number, target: number) => void;
}) {
  const [over, setOver] = useState(false);
  const picture = frame && shownIn(project, frame, width - 8, CELL.height - 26);
  const name = frame?.name ?? "empty frame";
  const size = frame ? ` · ${frame.width} × ${frame.height}` : "";
  return (
    <div
      id={`contact-${place}`}
      role="option"
      aria-selected={chosen}
      aria-label={`${span === null ? "" : `${span}, `}${name}${word ? `, ${word}` : ""}`}
      title={`${span === null ? "" : `${span} · `}${name}${size}${word ? ` · ${word}` : ""}`}
      className={`flex shrink-0 cursor-default flex-col p-1 select-none ${over ? "shadow-[inset_3px_0_0_var(--jay)]" : ""}`}
      style={{ width, height: CELL.height }}
      draggable
      onDragStart={(event) => {
        event.dataTransfer.setData(DRAGGED, String(place));
        event.dataTransfer.effectAllowed = "move";
      }}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes(DRAGGED)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        onMoveBefore(Number(event.dataTransfer.getData(DRAGGED)), place);
      }}
      onClick={(event) =>
        choose(place, event.shiftKey ? "through" : event.ctrlKey || event.metaKey ? "toggle" : "only")
      }
    >
      <span
        aria-hidden
        className={`relative flex min-h-0 grow items-center justify-center overflow-hidden rounded-[6px] bg-well ${
          chosen ? "outline-[3px] outline-jay" : focused ? "outline-1 outline-ink-3" : ""
        }`}
      >
        {frame && picture ? (
          <span className={`block ${frame.transparent ? "chequer" : ""} ${out ? "opacity-25 grayscale" : ""}`}>
            <span className="block" style={picture} />
          </span>
        ) : (
          <span className="text-xs text-ink-3">blank</span>
        )}
        {out && <span className="absolute inset-x-0 top-1/2 h-[2px] -rotate-[30deg] bg-ink-2" />}
        {marked && (
          <span aria-hidden className="absolute top-1 right-1 rounded bg-look-soft px-1 text-[9px] text-look">
            ▲
          </span>
        )}
      </span>
      <span
        aria-hidden
        className={`figure h-[18px] truncate pt-0.5 text-center text-xs ${out ? "text-ink-3" : "text-ink-2"}`}
      >
        {span !== null && <span className="font-sans">{span} </span>}
        {frame ? (frame.number ?? frame.name) : "–"}
      </span>
    </div>
  );
});
