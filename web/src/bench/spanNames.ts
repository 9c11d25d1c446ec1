// Where outputs name spans: a span that is renamed, or goes, is renamed there, or goes.

import type { Output } from "../api/client";

/** The output with the span `name` called `next`; `null`: there is no such span any more. */
export function withSpanNamed(output: Output, name: string, next: string | null): Output {
  const spans = renamed(output.take.spans, name, next);
  const taken = spans === output.take.spans ? output : { ...output, take: { ...output.take, spans } };
  if (taken.format !== "sheet") return taken;
  const { row_order, anchors } = taken;
  if (!row_order.includes(name) && !anchors.some((one) => one.span === name)) return taken;
  return {
    ...taken,
    row_order: renamed(row_order, name, next),
    anchors: anchors.flatMap((one) =>
      one.span === name ? (next === null ? [] : [{ ...one, span: next }]) : [one],
    ),
  };
}

/** Names with one of them called otherwise, or gone; the same ones where it is none of them. */
function renamed<Names extends readonly string[]>(names: Names, name: string, next: string | null) {
  if (!names.includes(name)) return names;
  return names.flatMap((one) => (one === name ? (next === null ? [] : [next]) : [one]));
}
