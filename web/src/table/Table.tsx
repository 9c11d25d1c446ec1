// Many projects as one table: a row each, a column for every output, and what is done to many at once.

import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, data, type TableRow } from "../api/client";
import { scrolled } from "../api/live";
import { ago, count } from "../format";
import { Button, IconButton, Mark, Segmented } from "../ui/controls";
import { takesKey } from "../ui/focus";
import { useHelp } from "../ui/help";
import { ThemeButton } from "../ui/ThemeButton";
import { Actions } from "./Actions";
import { Cell } from "./Cell";
import { among, NONE, toggled } from "./choosing";
import { tabulate, useTableChosen, useTabled } from "./chosen";
import { Progress } from "./Progress";
import { BY_NAME, cellOf, columnsOf, countOf, shownOf, type Filter, type Order } from "./rows";

const ROW = 64;
/** Milliseconds that the table must be still before likeness is measured for it. */
const IDLE = 700;

export function Table() {
  const { ids } = useTabled();
  const table = useQuery({
    queryKey: ["table", ids],
    queryFn: () => data<TableRow[]>(api.POST("/api/table", { body: { projects: ids && [...ids] } })),
  });
  const rows = useMemo(() => table.data ?? [], [table.data]);
  const [words, setWords] = useState("");
  const [filter, setFilter] = useState<Filter>("all");
  const [column, setColumn] = useState("");
  const [order, setOrder] = useState<Order>(BY_NAME);
  const columns = useMemo(() => columnsOf(rows), [rows]);
  const wanted = columns.includes(column) ? column : "";
  const shown = useMemo(
    () => shownOf(rows, { words, filter, column: wanted, order }),
    [rows, words, filter, wanted, order],
  );
  const listed = useMemo(() => shown.map(({ id }) => id), [shown]);
  const chosen = useTableChosen();
  const picked = useMemo(() => among(chosen, listed), [chosen, listed]);
  const meant = picked.length > 0 ? picked : listed;
  const counted = (label: string, of: Filter) => {
    const many = countOf(rows, of);
    return many > 0 ? `${label} ${many}` : label;
  };
  const finder = useRef<HTMLInputElement>(null);
  useEffect(() => {
    document.title = "Table — Jay Flick";
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "/" && !takesKey(event.target, "/")) {
        event.preventDefault();
        finder.current?.focus();
      } else if (event.key === "Escape" && !takesKey(event.target, "Escape")) useTableChosen.setState(NONE);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <div className="flex h-full flex-col gap-2.5 px-5 pb-3">
      <header className="flex h-[52px] shrink-0 items-center gap-3">
        <Link to="/" className="flex items-center gap-2.5 text-ink-2 hover:text-ink">
          <img src="/mark.svg" alt="" className="size-[26px]" />
          Shelf
        </Link>
        <span className="text-ink-3">/</span>
        <h1 className="text-[17px] font-bold">{count(rows.length, "project")}</h1>
        {ids !== null && (
          <Button look="quiet" className="h-[26px]!" onClick={() => tabulate(null)}>
            Show all projects
          </Button>
        )}
        <span className="grow" />
        <Segmented<Filter>
          label="Show"
          value={filter}
          onChange={setFilter}
          choices={[
            { value: "all", label: "All" },
            { value: "over", label: counted("Over budget", "over") },
            {
              value: "failing",
              label: counted("To look at", "failing"),
              tip: "Outputs that break a rule of their target, and frames with something to check",
            },
            { value: "failed", label: counted("Failed", "failed") },
          ]}
        />
        <input
          ref={finder}
          type="search"
          aria-label="Find a project"
          placeholder="Find a project"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Escape") setWords("");
          }}
          className="h-[30px] w-[170px] rounded-[7px] border border-line bg-card px-3 placeholder:text-ink-3"
        />
        <ThemeButton />
        <IconButton tip="Keys" keys="?" onClick={() => useHelp.setState({ open: true })}>
          ?
        </IconButton>
      </header>
      <Actions
        rows={rows}
        meant={{ projects: meant, column: wanted }}
        chosen={picked.length}
        columns={columns}
        onColumn={setColumn}
      />
      <Progress />
      {table.error ? (
        <p className="py-12 text-center text-ink-2">
          {table.error.message} <Button onClick={() => void table.refetch()}>Try again</Button>
        </p>
      ) : table.data && rows.length === 0 ? (
        <p className="py-12 text-center text-ink-2">
          There are no projects here. <Link to="/">Bring frames in on the shelf</Link>, then come back.
        </p>
      ) : (
        <Rows
          shown={shown}
          listed={listed}
          columns={columns}
          order={order}
          onOrder={setOrder}
          still={table.isFetched}
        />
      )}
    </div>
  );
}

function Rows({
  shown,
  listed,
  columns,
  order,
  onOrder,
  still,
}: {
  shown: readonly TableRow[];
  listed: readonly string[];
  columns: readonly string[];
  order: Order;
  onOrder: (order: Order) => void;
  still: boolean;
}) {
  const navigate = useNavigate();
  const scroller = useRef<HTMLDivElement>(null);
  const chosen = useTableChosen();
  const picked = among(chosen, listed).length;
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 4,
  });
  const items = virtual.getVirtualItems();
  scrolled.now = virtual.isScrolling;
  useEffect(
    () => () => {
      scrolled.now = false;
    },
    [],
  );
  useMeasuring(
    items.flatMap(({ index }) => (shown[index] ? [shown[index]] : [])),
    still,
  );
  const grid = useMemo(
    () => ({
      gridTemplateColumns: `34px minmax(170px,270px) repeat(${columns.length}, minmax(196px,1fr))`,
      minWidth: 204 + 196 * columns.length,
    }),
    [columns],
  );
  const toggle = useCallback(
    (id: string, run: boolean) => useTableChosen.setState(toggled(useTableChosen.getState(), id, listed, run)),
    [listed],
  );
  /** To a row that may not be drawn yet. */
  const go = (to: number) => {
    const at = Math.max(0, Math.min(shown.length - 1, to));
    virtual.scrollToIndex(at);
    const tryAgain = (left: number) => {
      const found = scroller.current?.querySelector<HTMLInputElement>(`[data-row="${at}"] input`);
      if (found) found.focus();
      else if (left > 0) requestAnimationFrame(() => tryAgain(left - 1));
    };
    tryAgain(10);
  };
  const onKey = (event: React.KeyboardEvent) => {
    const at = Number((event.target as HTMLElement).closest("[data-row]")?.getAttribute("data-row") ?? -1);
    const row = shown[at];
    const steps: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 };
    const by = steps[event.key];
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "a") {
      useTableChosen.setState({ ids: new Set(listed), last: null });
    } else if (by !== undefined && at >= 0) {
      const to = shown[Math.max(0, Math.min(shown.length - 1, at + by))];
      if (event.shiftKey && row && to) {
        if (!chosen.ids.has(row.id)) toggle(row.id, false);
        useTableChosen.setState((now) => ({ ...now, last: row.id }));
        toggle(to.id, true);
      }
      go(at + by);
    } else if (event.key === "Home" && at >= 0) go(0);
    else if (event.key === "End" && at >= 0) go(shown.length - 1);
    else if (event.key === "Enter" && row && event.target instanceof HTMLInputElement)
      void navigate(`/project/${row.id}`);
    else return;
    event.preventDefault();
  };
  return (
    <div
      ref={scroller}
      role="table"
      aria-label="Projects and their outputs"
      aria-rowcount={shown.length + 1}
      className="-mx-5 min-h-0 grow overflow-auto border-y border-line bg-card px-3"
      onKeyDown={onKey}
    >
      <div role="rowgroup" className="sticky top-0 z-10 bg-card">
        <div role="row" className="grid h-[34px] items-center border-b border-line px-2" style={grid}>
          <span role="columnheader">
            <input
              type="checkbox"
              aria-label="Choose all"
              checked={picked > 0 && picked === listed.length}
              ref={(box) => {
                if (box) box.indeterminate = picked > 0 && picked < listed.length;
              }}
              onChange={({ target }) =>
                useTableChosen.setState(target.checked ? { ids: new Set(listed), last: null } : NONE)
              }
              className="size-4 accent-[var(--jay)]"
            />
          </span>
          <span role="columnheader" className="flex gap-1" aria-sort={sortOf(order, "", "name")}>
            <Sort label="Project" order={order} onOrder={onOrder} column="" by="name" />
            <Sort label="changed" order={order} onOrder={onOrder} column="" by="changed" />
          </span>
          {columns.map((name) => (
            <span
              key={name}
              role="columnheader"
              className="flex min-w-0 gap-1"
              aria-sort={sortOf(order, name, "bytes")}
            >
              <span className="truncate font-semibold">{name}</span>
              <Sort label="bytes" order={order} onOrder={onOrder} column={name} by="bytes" />
              <Sort label="SSIM" order={order} onOrder={onOrder} column={name} by="likeness" />
            </span>
          ))}
        </div>
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map(({ index, start }) => {
          const row = shown[index];
          return row ? (
            <Line
              key={row.id}
              row={row}
              index={index}
              start={start}
              on={chosen.ids.has(row.id)}
              columns={columns}
              grid={grid}
              toggle={toggle}
            />
          ) : null;
        })}
      </div>
    </div>
  );
}

/** A project. Drawn anew only when something in it is another: while it is scrolled there is no time for more. */
const Line = memo(function Line({
  row,
  index,
  start,
  on,
  columns,
  grid,
  toggle,
}: {
  row: TableRow;
  index: number;
  start: number;
  on: boolean;
  columns: readonly string[];
  grid: React.CSSProperties;
  toggle: (id: string, run: boolean) => void;
}) {
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      data-row={index}
      className={`absolute inset-x-0 grid items-center border-b border-line/60 px-2 ${on ? "bg-jay-soft" : ""}`}
      style={{ ...grid, height: ROW, transform: `translateY(${start}px)` }}
      onMouseDown={(event) => {
        // Text is not marked while a run is chosen.
        if (event.shiftKey) event.preventDefault();
      }}
      onClick={(event) => {
        if ((event.target as HTMLElement).closest("a, input, button")) return;
        toggle(row.id, event.shiftKey);
      }}
    >
      <span role="cell">
        <input
          type="checkbox"
          aria-label={`Choose ${row.name}`}
          checked={on}
          onClick={(event) => toggle(row.id, event.shiftKey)}
          onChange={() => undefined}
          className="size-4 accent-[var(--jay)]"
        />
      </span>
      <span role="cell" className="min-w-0 pr-3">
        <Link dir="auto" to={`/project/${row.id}`} className="block truncate font-semibold hover:underline">
          {row.name}
        </Link>
        <span className="flex gap-2 text-xs text-ink-2">
          {ago(row.changed, Date.now())}
          {row.notes > 0 && <Mark verdict="look" word={`${count(row.notes, "thing")} to check`} />}
        </span>
      </span>
      {columns.map((name) => {
        const cell = cellOf(row, name);
        return (
          <div role="cell" key={name} className="min-w-0 pr-2">
            {cell ? <Cell cell={cell} /> : <span className="text-xs text-ink-3">–</span>}
          </div>
        );
      })}
    </div>
  );
});

const sortOf = (order: Order, column: string, by: Order["by"]) =>
  order.column !== column || order.by !== by ? "none" : order.down ? "descending" : "ascending";

function Sort({
  label,
  order,
  onOrder,
  column,
  by,
}: {
  label: string;
  order: Order;
  onOrder: (order: Order) => void;
  column: string;
  by: Order["by"];
}) {
  const on = order.column === column && order.by === by;
  const first = by === "bytes" || by === "changed";
  return (
    <button
      type="button"
      aria-label={`Sort by ${[column, label].filter(Boolean).join(" ")}`}
      aria-pressed={on}
      onClick={() => onOrder({ column, by, down: on ? !order.down : first })}
      className={`flex items-center gap-0.5 rounded-[5px] px-1 text-xs hover:bg-well ${on ? "font-semibold text-jay-deep" : "text-ink-2"}`}
    >
      {label}
      {on && (order.down ? <ArrowDown size={12} /> : <ArrowUp size={12} />)}
    </button>
  );
}

/** Have the likeness measured of what is in view and was not yet: one after the other, while nothing is encoded. */
function useMeasuring(rows: readonly TableRow[], still: boolean): void {
  /** What was asked for: that has come by news, or cannot be had. */
  const [asked, setAsked] = useState<ReadonlySet<string>>(new Set());
  const cells = rows.flatMap((row) => row.cells);
  const busy = !still || cells.some(({ job }) => job === "making");
  const next = busy
    ? undefined
    : cells.find(
        ({ kind, behind, result }) =>
          kind !== "sheet" && !behind && result && result.ssim === null && !asked.has(result.key),
      )?.result;
  const key = next?.key;
  const id = next?.id;
  useEffect(() => {
    if (key === undefined || id === undefined) return;
    const stop = new AbortController();
    const timer = setTimeout(() => {
      void api
        .GET("/api/results/{result_id}/likeness", {
          params: { path: { result_id: id }, query: { key } },
          signal: stop.signal,
        })
        .catch(() => undefined)
        .then(() => {
          if (!stop.signal.aborted) setAsked((now) => new Set([...now, key]));
        });
    }, IDLE);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  }, [key, id]);
}
