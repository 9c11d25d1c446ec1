// Many projects as a table: a column for each output by its name, rows filtered and sorted.

import type { TableCell, TableRow } from "../api/client";

export type Filter = "all" | "over" | "failing" | "failed";
export interface Order {
  /** The name of an output, or empty: by the project's name. */
  column: string;
  by: "name" | "changed" | "bytes" | "likeness";
  down: boolean;
}

export const BY_NAME: Order = { column: "", by: "name", down: false };

/** The names of all outputs, those that most projects have first. */
export function columnsOf(rows: readonly TableRow[]): string[] {
  const many = new Map<string, number>();
  for (const { cells } of rows) for (const { name } of cells) many.set(name, (many.get(name) ?? 0) + 1);
  return [...many].sort((a, b) => b[1] - a[1]).map(([name]) => name);
}

export const cellOf = (row: TableRow, column: string) => row.cells.find(({ name }) => name === column);

/** Whether a file is larger than it may be, by its own budget or by another. */
export const isOver = ({ most_bytes, result }: TableCell, most = most_bytes) =>
  most !== null && result !== null && result.bytes > most;

/** What a filter lets through of a project. */
const PASSES: Record<Filter, (cell: TableCell) => boolean> = {
  all: () => true,
  over: (cell) => isOver(cell),
  failing: ({ verdict }) => verdict === "fail" || verdict === "warn",
  failed: ({ job }) => job === "failed" || job === "cancelled",
};

/** How many projects a filter lets through. */
export const countOf = (rows: readonly TableRow[], filter: Filter) =>
  rows.filter((row) => passes(row, filter, row.cells)).length;

const passes = ({ notes }: TableRow, filter: Filter, cells: readonly TableCell[]) =>
  filter === "all" || cells.some(PASSES[filter]) || (filter === "failing" && notes > 0);

export function shownOf(
  rows: readonly TableRow[],
  { words, filter, column, order }: { words: string; filter: Filter; column: string; order: Order },
): TableRow[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const found = rows.filter((row) => {
    const cells = column === "" ? row.cells : row.cells.filter(({ name }) => name === column);
    const named = wanted.every((word) => row.name.toLowerCase().includes(word));
    return named && passes(row, filter, cells);
  });
  const figure = (row: TableRow) => {
    const result = cellOf(row, order.column)?.result;
    return order.by === "bytes" ? result?.bytes : result?.ssim;
  };
  const compare = (a: TableRow, b: TableRow): number => {
    if (order.by === "changed") return a.changed.localeCompare(b.changed);
    if (order.by === "name") return a.name.localeCompare(b.name, "en", { numeric: true });
    return (figure(a) ?? 0) - (figure(b) ?? 0);
  };
  // What has no figure stands at the end, whichever way it is sorted.
  const lacks = (row: TableRow) =>
    (order.by === "bytes" || order.by === "likeness") && (figure(row) ?? null) === null;
  const way = order.down ? -1 : 1;
  return found.sort((a, b) => Number(lacks(a)) - Number(lacks(b)) || way * compare(a, b));
}
