// One torn-off ticket in five parts, in the order of the work; each states its own figures and standing.

import { Tabs } from "radix-ui";
import { Mark } from "../ui/controls";
import { PARTS, PART_NAMES, type Part, type PartStatus } from "./verdicts";

const KEYS: Record<Part, string> = { gather: "G", rhythm: "R", framing: "F", tuning: "T", handoff: "H" };

export function Docket({ standings, chosen }: { standings: Record<Part, PartStatus>; chosen: Part }) {
  return (
    <Tabs.List aria-label="Docket" className="grid min-w-0 grow grid-cols-5">
      {PARTS.map((part, index) => {
        const { stale, figure, beside, below, verdict, word } = standings[part];
        const long = figure.length > 12;
        return (
          <Tabs.Trigger
            key={part}
            value={part}
            aria-keyshortcuts={KEYS[part]}
            className={`flex min-w-0 flex-col justify-center px-2 text-left wide:px-4 outline-offset-[-4px] transition-colors ${
              index > 0 ? "tear" : ""
            } ${chosen === part ? "bg-jay-soft shadow-[inset_0_-3px_0_var(--jay)]" : "hover:bg-well"}`}
          >
            <span className="flex w-full items-center justify-between gap-x-1 overflow-hidden">
              <span
                className={`text-xs font-medium whitespace-nowrap ${chosen === part ? "text-jay-deep" : "text-ink-2"}`}
              >
                {PART_NAMES[part]}
              </span>
              <Mark verdict={verdict} word={word} />
            </span>
            <span
              className={`w-full truncate leading-6 ${stale ? "italic opacity-70" : ""}`}
              title={stale ? "From before the last change" : undefined}
            >
              <span className={long ? "text-[15px] font-semibold" : "figure text-[17px] font-semibold"}>
                {figure}
              </span>{" "}
              <span className="text-[12.5px]">{beside}</span>
            </span>
            <span className={`w-full truncate text-xs text-ink-2 ${stale ? "italic" : ""}`}>{below}</span>
          </Tabs.Trigger>
        );
      })}
    </Tabs.List>
  );
}
