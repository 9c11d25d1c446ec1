// Where outputs name spans: a span that is renamed, or goes, is renamed there, or goes.

import type { Output } from "../api/client";

/** The output with the span `name` called `next`; `null`: there is no such span any more. */
export function withSpanNamed(output: Output, name: string, next: string | null): Output {
  const taken = output.take.span === name ? { ...output, take: { ...output.take, span: next } } : output;
  if (taken.format !== "sheet") return taken;
  const { row_order, anchors } = taken;
  if (!row_order.includes(name) && !anchors.some((one) => one.span === name)) return taken;
  return {
    ...taken,
    row_order: row_order.flatMap((one) => (one === name ? (next === null ? [] : [next]) : [one])),
    anchors: anchors.flatMap((one) =>
      one.span === name ? (next === null ? [] : [{ ...one, span: next }]) : [one],
    ),
  };
}
