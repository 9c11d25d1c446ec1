// The outputs at the docket's torn-off end: a stub each, and one more to add another.

import { ChevronDown, ChevronUp, Copy, Plus, Trash2 } from "lucide-react";
import { Popover } from "radix-ui";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, data, type TargetInfo } from "../api/client";
import { count, size } from "../format";
import { Button, IconButton, Mark, TextField } from "../ui/controls";
import type { Bench } from "./edits";
import { viewOf } from "./formats/table";
import {
  added,
  addOutput,
  BLANKS,
  blanksFor,
  duplicate,
  duplicated,
  MOST_OUTPUTS,
  moveOutput,
  remove,
} from "./outputs";
import type { OutputStatus } from "./status";

interface Props {
  bench: Bench;
  standings: readonly OutputStatus[];
  choose: (id: string) => void;
}

export function Stubs({ bench, standings, choose }: Props) {
  const chosen = standings.findIndex(({ output }) => output.id === bench.output.id);
  // The chosen one and its neighbour; the others are counted.
  const from = Math.max(0, Math.min(chosen, standings.length - 2));
  const shown = standings.slice(from, from + 2);
  const more = standings.length - shown.length;
  return (
    <section
      aria-label="Outputs"
      className="tear flex w-[164px] shrink-0 flex-col justify-center gap-[3px] bg-well px-2 py-1 wide:w-[222px] wide:px-3"
    >
      <div role="group" aria-label="Output on show" className="flex flex-col gap-[3px]">
        {shown.map((one) => (
          <Stub key={one.output.id} standing={one} chosen={one.output.id === bench.output.id} choose={choose} />
        ))}
      </div>
      <div className="flex items-center justify-between">
        <Outputs bench={bench} standings={standings} choose={choose} more={more} />
        <Add bench={bench} choose={choose} />
      </div>
    </section>
  );
}

function Stub({
  standing,
  chosen,
  choose,
}: {
  standing: OutputStatus;
  chosen: boolean;
  choose: (id: string) => void;
}) {
  const { output, result, behind, verdict, word } = standing;
  return (
    <button
      type="button"
      aria-pressed={chosen}
      title={`${output.name}: ${viewOf(output).title(output)}, ${word}`}
      onClick={() => choose(output.id)}
      className={`flex h-[19px] w-full items-center justify-between gap-2 rounded-[5px] border px-1.5 text-xs font-medium ${
        chosen ? "border-transparent bg-strong text-on-strong" : "border-line bg-card hover:border-ink-3"
      }`}
    >
      <span dir="auto" className="truncate">
        {output.name}
      </span>
      <span className={`figure flex shrink-0 items-center gap-1.5 ${behind ? "italic opacity-70" : ""}`}>
        {result ? size(result.info.bytes) : "…"}
        <span className={chosen ? "[&_*]:text-on-strong!" : ""}>
          <Mark verdict={verdict} word="" />
        </span>
        <span className="sr-only">{word}</span>
      </span>
    </button>
  );
}

const MENU =
  "z-50 flex max-h-[min(560px,80vh)] w-[380px] flex-col gap-1.5 overflow-y-auto rounded-[12px] border border-line bg-card p-3 shadow-xl";

/** All outputs, and what can be done with the chosen one. */
function Outputs({ bench, standings, choose, more }: Props & { more: number }) {
  const [open, setOpen] = useState(false);
  const { output } = bench;
  const at = standings.findIndex((one) => one.output.id === output.id);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="flex items-center gap-1 rounded-[5px] px-1 text-xs text-ink-2 hover:text-ink">
        {more > 0 ? `${more} more` : count(standings.length, "output")} <ChevronDown size={12} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={8} aria-label="All outputs" className={MENU}>
          <ul className="flex flex-col gap-0.5">
            {standings.map((one) => (
              <li key={one.output.id}>
                <button
                  type="button"
                  aria-pressed={one.output.id === output.id}
                  onClick={() => choose(one.output.id)}
                  className={`grid w-full grid-cols-[1fr_auto_92px] items-center gap-2 rounded-[6px] px-2 py-1 text-left ${
                    one.output.id === output.id ? "bg-jay-soft" : "hover:bg-well"
                  }`}
                >
                  <span dir="auto" className="truncate">
                    <b className="font-semibold">{one.output.name}</b>{" "}
                    {viewOf(one.output).title(one.output) !== one.output.name && (
                      <span className="text-ink-2">{viewOf(one.output).title(one.output)}</span>
                    )}
                  </span>
                  <span className="figure text-xs">{one.result ? size(one.result.info.bytes) : "…"}</span>
                  <Mark verdict={one.verdict} word={one.word} />
                </button>
              </li>
            ))}
          </ul>
          <div className="flex items-center gap-1.5 border-t border-line pt-2">
            <TextField
              label="Output name"
              value={output.name}
              maxLength={80}
              className="min-w-0 grow font-sans!"
              onCommit={(name) => bench.editOutput(`Output named ${name}`, (so) => ({ ...so, name }))}
            />
            <IconButton
              tip="Move up"
              disabled={at <= 0}
              onClick={() => moveOutput(bench, output.id, -1)}
              className="h-[26px]!"
            >
              <ChevronUp size={14} />
            </IconButton>
            <IconButton
              tip="Move down"
              disabled={at >= standings.length - 1}
              onClick={() => moveOutput(bench, output.id, 1)}
              className="h-[26px]!"
            >
              <ChevronDown size={14} />
            </IconButton>
            <IconButton
              tip="Duplicate"
              disabled={standings.length >= MOST_OUTPUTS}
              className="h-[26px]!"
              onClick={() => {
                const copy = duplicated(bench);
                duplicate(bench, copy);
                choose(copy.id);
              }}
            >
              <Copy size={14} />
            </IconButton>
            <IconButton
              tip="Remove this output"
              disabled={standings.length === 1}
              className="h-[26px]!"
              onClick={() => {
                const beside = standings[at + 1] ?? standings[at - 1];
                remove(bench, output.id);
                if (beside) choose(beside.output.id);
              }}
            >
              <Trash2 size={14} />
            </IconButton>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

export const useTargets = () =>
  useQuery({
    queryKey: ["targets"],
    queryFn: () => data<TargetInfo[]>(api.GET("/api/targets")),
    staleTime: 60_000,
  });

/** Another output, for a target or of a format. */
function Add({ bench, choose }: { bench: Bench; choose: (id: string) => void }) {
  const [open, setOpen] = useState(false);
  const targets = useTargets();
  const full = bench.recipe.outputs.length >= MOST_OUTPUTS;
  const add = (...what: Parameters<typeof added> extends [unknown, ...infer R] ? R : never) => {
    const output = added(bench, ...what);
    addOutput(bench, output);
    choose(output.id);
    setOpen(false);
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button
          look="quiet"
          aria-label="Add an output"
          title={full ? `A project has up to ${MOST_OUTPUTS} outputs` : "Add an output"}
          disabled={full}
          className="h-[19px]! px-1.5! text-xs"
        >
          <Plus size={13} /> Output
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={8}
          aria-label="Add an output"
          className={`${MENU} w-[640px] grid-cols-[1fr_240px] gap-x-4 grid!`}
        >
          <div className="flex flex-col gap-1">
            <h3 className="font-semibold">For a target</h3>
            <div className="flex flex-col gap-0.5">
              {targets.data?.map(({ target }) => {
                const blank = blanksFor(target)[0];
                return (
                  blank && (
                    <button
                      key={target.name}
                      type="button"
                      onClick={() => add(blank, target)}
                      className="rounded-[6px] px-2 py-1 text-left hover:bg-well"
                    >
                      <b className="font-semibold">{target.title}</b>{" "}
                      <span className="text-xs text-ink-2">
                        {blank.title}. {target.about}
                      </span>
                    </button>
                  )
                );
              })}
            </div>
          </div>
          <div className="flex flex-col gap-1">
            <h3 className="font-semibold">Of a format</h3>
            <div className="flex flex-col gap-0.5">
              {BLANKS.map((blank) => (
                <button
                  key={blank.title}
                  type="button"
                  onClick={() => add(blank, null)}
                  className="rounded-[6px] px-2 py-1 text-left hover:bg-well"
                >
                  <b className="font-semibold">{blank.title}</b>
                  <span className="block text-xs text-ink-2">{blank.about}</span>
                </button>
              ))}
            </div>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
