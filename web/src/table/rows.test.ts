import { describe, expect, test } from "vitest";
import type { TableCell, TableRow } from "../api/client";
import { NONE, toggled } from "./choosing";
import { BY_NAME, columnsOf, shownOf } from "./rows";

const cell = (name: string, bytes: number | null, more: Partial<TableCell> = {}): TableCell => ({
  id: name.toLowerCase(),
  name,
  kind: "gif",
  file_name: "loop.gif",
  result:
    bytes === null
      ? null
      : {
          id: 1,
          key: "k",
          bytes,
          width: 10,
          height: 10,
          count: 4,
          duration_ms: 100,
          transparent: false,
          ssim: null,
          stands_out: "",
        },
  behind: false,
  job: "",
  error: "",
  most_bytes: 1000,
  target: "",
  verdict: null,
  broken: [],
  ...more,
});
const row = (name: string, ...cells: TableCell[]): TableRow => ({
  id: name,
  name,
  changed: "2026-01-01T00:00:00",
  notes: 0,
  cells,
});
const ROWS = [
  row("Tern 10", cell("GIF", 1200)),
  row("Tern 2", cell("GIF", 800), cell("Sheet", 5000)),
  row("Pier bell", cell("GIF", null, { job: "failed" }), cell("Sheet", 900)),
];
const names = (rows: readonly TableRow[]) => rows.map(({ name }) => name);
const all = { words: "", filter: "all", column: "", order: BY_NAME } as const;

describe("the table", () => {
  test("has a column for each output, that of most projects first", () => {
    expect(columnsOf(ROWS)).toEqual(["GIF", "Sheet"]);
  });

  test("is sorted by names as people count, and by figures, what has none at the end", () => {
    expect(names(shownOf(ROWS, all))).toEqual(["Pier bell", "Tern 2", "Tern 10"]);
    const order = { column: "GIF", by: "bytes", down: true } as const;
    expect(names(shownOf(ROWS, { ...all, order }))).toEqual(["Tern 10", "Tern 2", "Pier bell"]);
    expect(names(shownOf(ROWS, { ...all, order: { ...order, down: false } }))).toEqual([
      "Tern 2",
      "Tern 10",
      "Pier bell",
    ]);
  });

  test("shows what is over its budget, of one output or of any", () => {
    expect(names(shownOf(ROWS, { ...all, filter: "over" }))).toEqual(["Tern 2", "Tern 10"]);
    expect(names(shownOf(ROWS, { ...all, filter: "over", column: "GIF" }))).toEqual(["Tern 10"]);
    expect(names(shownOf(ROWS, { ...all, filter: "failed", words: "bell pier" }))).toEqual(["Pier bell"]);
  });
});

test("with Shift all between are chosen, or let go, as the first was", () => {
  const listed = ["a", "b", "c", "d"];
  const run = toggled(toggled(NONE, "b", listed), "d", listed, true);
  expect([...run.ids]).toEqual(["b", "c", "d"]);
  const less = toggled(toggled(run, "c", listed), "d", listed, true);
  expect([...less.ids]).toEqual(["b"]);
  expect([...toggled(NONE, "c", listed, true).ids]).toEqual(["c"]);
});
