// The rows of a sheet in an order made by hand.

import { ArrowDown, ArrowUp } from "lucide-react";
import { count } from "../../format";
import { Button, IconButton } from "../../ui/controls";
import { type LaidOut } from "./layout";
import type { Of, TuneProps } from "../formats/format";

type Sheet = Of<"sheet">;

export function RowOrder({
  output,
  laid: { info },
  tune,
}: {
  output: Sheet;
  laid: LaidOut;
  tune: TuneProps<"sheet">["tune"];
}) {
  const names = info.rows.flatMap(({ name }) => (name === null ? [] : [name]));
  const move = (at: number, by: number) => {
    const order = [...names];
    const [moved] = order.splice(at, 1);
    if (moved === undefined) return;
    order.splice(at + by, 0, moved);
    tune({ row_order: order }, `Row ${moved} moved`);
  };
  return (
    <details className="rounded-[8px] border border-line px-2.5 py-1.5">
      <summary className="cursor-pointer text-ink-2">
        Order of {count(names.length, "row")}
        {output.row_order.length > 0 && (
          <Button className="ml-2 h-[22px]! px-2!" onClick={() => tune({ row_order: [] }, "Playback order")}>
            As played
          </Button>
        )}
      </summary>
      <ol aria-label="Rows" className="mt-1 flex flex-col">
        {names.map((name, at) => (
          <li key={name} className="flex items-center gap-1">
            <span className="min-w-0 grow truncate">{name}</span>
            <span className="figure text-xs text-ink-2">{info.rows[at]?.count}</span>
            <IconButton tip="Up" aria-label={`Row ${name} up`} disabled={at === 0} onClick={() => move(at, -1)}>
              <ArrowUp size={13} />
            </IconButton>
            <IconButton
              tip="Down"
              aria-label={`Row ${name} down`}
              disabled={at === names.length - 1}
              onClick={() => move(at, 1)}
            >
              <ArrowDown size={13} />
            </IconButton>
          </li>
        ))}
      </ol>
    </details>
  );
}
