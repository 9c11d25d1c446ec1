// How far what was asked for of many is: one line for the newest, with what did not work and why.

import { Download } from "lucide-react";
import { useEffect, useState } from "react";
import { create } from "zustand";
import type { BatchInfo } from "../api/client";
import { count } from "../format";
import { Bar } from "../ui/Bar";
import { Button, Mark } from "../ui/controls";
import { isTyping } from "../ui/focus";
import { useBatches, useBatching, useBegun, zipUrl } from "./batches";

const KEPT = "jayflick-batch-read";
/** When the newest batch was asked for that was put away: neither it nor an older one is shown again. */
const useRead = create<{ until: string }>(() => ({ until: localStorage.getItem(KEPT) ?? "" }));
/** The batches whose zip this window waits for. */
export const useAwaited = create<{ ids: readonly number[] }>(() => ({ ids: [] }));

/** `onlyOwn`: of what is over, only what this window asked for. */
export function Progress({ onlyOwn = false }: { onlyOwn?: boolean }) {
  const batches = useBatches().data ?? [];
  const read = useRead((state) => state.until);
  const begun = useBegun((state) => state.ids);
  const { undo } = useBatching();
  useZips(batches);
  // What is under way is always told; of what is over, the newest.
  const shown = batches.filter(
    ({ id, created, under_way }, at) =>
      under_way || (at === 0 && created > read && (!onlyOwn || begun.includes(id))),
  );
  const last = shown.find((batch) => batch.undo);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.shiftKey || event.key.toLowerCase() !== "z") return;
      if (isTyping(event.target) || !last) return;
      event.preventDefault();
      void undo(last);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
  return (
    <>
      {shown.map((batch) => (
        <One key={batch.id} batch={batch} />
      ))}
    </>
  );
}

/** A zip that is ready is saved at once, by the window that asked for it. */
function useZips(batches: readonly BatchInfo[]): void {
  const awaited = useAwaited((state) => state.ids);
  useEffect(() => {
    for (const batch of batches) {
      if (batch.under_way || !awaited.includes(batch.id)) continue;
      useAwaited.setState(({ ids }) => ({ ids: ids.filter((id) => id !== batch.id) }));
      if (batch.failed === 0 && batch.download) save(zipUrl(batch));
    }
  }, [batches, awaited]);
}

function save(url: string): void {
  const link = document.createElement("a");
  link.href = url;
  link.download = "";
  link.click();
}

function One({ batch }: { batch: BatchInfo }) {
  const { undo, retry, cancel } = useBatching();
  const [open, setOpen] = useState(false);
  const { total, done, failed, cancelled, notes, failures } = batch;
  const over = done + failed + cancelled;
  const more = failures.length + notes.length;
  return (
    <section
      aria-label={batch.label}
      className="flex shrink-0 flex-col gap-1.5 rounded-[10px] border border-line bg-card px-3 py-1.5"
    >
      <div className="flex min-h-[30px] items-center gap-3">
        <span className="truncate font-semibold">{batch.label}</span>
        {batch.under_way ? (
          <>
            <span role="status" className="figure text-ink-2">
              {over} of {total}
            </span>
            <div className="w-[160px]">
              <Bar share={total > 0 ? over / total : 0} label={batch.label} />
            </div>
            <Button className="h-[26px]!" onClick={() => void cancel(batch)}>
              Cancel
            </Button>
          </>
        ) : (
          <span role="status" className="text-ink-2">
            {summary(batch)}
          </span>
        )}
        {failed > 0 && <Mark verdict="stop" word={`${failed} failed`} />}
        {cancelled > 0 && <Mark verdict="look" word={`${cancelled} cancelled`} />}
        {more > 0 && (
          <Button look="quiet" className="h-[26px]!" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "Less" : count(more, "note")}
          </Button>
        )}
        <span className="grow" />
        {!batch.under_way && (
          <>
            {batch.download && (
              <Button className="h-[26px]!" onClick={() => save(zipUrl(batch))}>
                <Download size={14} /> Save zip
              </Button>
            )}
            {failed + cancelled > 0 && (
              <Button className="h-[26px]!" onClick={() => void retry(batch)}>
                Try {failed + cancelled} again
              </Button>
            )}
            {batch.undo && (
              <Button className="h-[26px]!" onClick={() => void undo(batch)}>
                Undo in all
              </Button>
            )}
            <Button
              look="quiet"
              className="h-[26px]! px-2!"
              aria-label={`Dismiss ${batch.label}`}
              onClick={() => {
                localStorage.setItem(KEPT, batch.created);
                useRead.setState({ until: batch.created });
              }}
            >
              ×
            </Button>
          </>
        )}
      </div>
      {open && more > 0 && (
        <ul aria-label="Notes" className="max-h-[132px] overflow-y-auto text-xs">
          {failures.map(({ project_id, project, output, error }) => (
            <li key={`${project_id}${output}`} className="py-0.5">
              <Mark verdict="stop" word={[project, output].filter(Boolean).join(", ")} /> {error.message}
              {error.remedy && <span className="text-ink-2">; {error.remedy}</span>}
            </li>
          ))}
          {notes.map(({ project_id, project, output, note }) => (
            <li key={`${project_id}${output}${note}`} className="py-0.5 text-ink-2">
              {[project, output].filter(Boolean).join(", ")}: {note}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function summary({ kind, changed, done, total }: BatchInfo): string {
  switch (kind) {
    case "set":
    case "take":
    case "check":
    case "fit":
      return `${changed} of ${total} changed`;
    case "delete":
      return `${changed} in the bin`;
    case "undo":
      return `taken back in ${done} of ${total}`;
    default:
      return `${done} of ${total} done`;
  }
}
