// The chosen output against what its target takes: what fails first, with what would help.

import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type ReactNode } from "react";
import { api, data, type CheckInfo, type Target } from "../../api/client";
import { Button, Mark, NumberField, Row, TextField } from "../../ui/controls";
import { tell, tellError } from "../../ui/notices";
import { setUp, withLimit } from "../outputs";
import { applyRemedy, wordsOf } from "../remedy";
import { useTargets } from "../Stubs";
import { Fit } from "./Fit";
import type { PanelProps } from "./panel";

type Rule = CheckInfo["rules"][number];
const MARKS = { pass: "fine", warn: "look", fail: "stop" } as const;
const WORDS = { pass: "passes", warn: "look", fail: "fails" } as const;

export function Check({ bench, outputs, result, behind }: PanelProps) {
  const { output } = bench;
  const targets = useTargets();
  const mine = outputs.find((one) => one.output.id === output.id);
  const check = mine?.check;
  const { target } = output;
  const wrong = check?.rules.filter((rule) => rule.verdict !== "pass") ?? [];
  const weight = check?.rules.find((rule) => rule.rule === "Bytes" && rule.verdict === "pass");
  const right = check?.rules.filter((rule) => rule.verdict === "pass" && rule !== weight) ?? [];
  const known = targets.data?.some((one) => one.target.name === target?.name);
  const aim = (name: string) => {
    const next = targets.data?.find((one) => one.target.name === name)?.target;
    if (name === "") bench.editOutput("No target", (so) => ({ ...so, target: null }));
    else if (next) bench.editOutput(`Checked against ${next.title}`, (so) => ({ ...so, target: next }));
  };
  const { rhythm } = bench.recipe;
  const wish = setUp(output, rhythm);
  return (
    <section aria-label="Rules check" className="flex flex-col gap-1.5 rounded-[10px] bg-well px-3 py-2.5">
      <label className="flex items-center gap-1.5 whitespace-nowrap">
        Check against
        <select
          aria-label="Target"
          value={target?.name ?? ""}
          onChange={(event) => aim(event.target.value)}
          className="h-[26px] min-w-0 grow rounded-[6px] border border-line bg-card px-1.5 font-semibold"
        >
          <option value="">{target && !target.name ? "limits of its own" : "no target"}</option>
          {target?.name && !known && <option value={target.name}>{target.title}</option>}
          {targets.data?.map((one) => (
            <option key={one.target.name} value={one.target.name}>
              {one.target.title}
              {one.own ? " (own)" : ""}
            </option>
          ))}
        </select>
      </label>
      {check && (
        <Mark
          verdict={mine.behind ? "busy" : MARKS[check.verdict]}
          word={mine.behind ? "before the last change" : WORDS[check.verdict]}
        />
      )}
      {target?.about && <p className="text-xs text-ink-2">{target.about}</p>}
      {target && wish && check?.verdict !== "pass" && (
        <div className="flex items-center justify-between gap-2">
          <span className="text-xs text-ink-2">{wish.words.join(" · ")}</span>
          <Button
            className="h-[26px]! px-2!"
            onClick={() =>
              bench.editOutput(`Set up for ${target.title}`, (so) => setUp(so, rhythm)?.output ?? so)
            }
          >
            Set up for it
          </Button>
        </div>
      )}
      {wrong.map((rule) => (
        <Wrong key={rule.rule} rule={rule} bench={bench}>
          {rule.rule === "Bytes" && <Fit bench={bench} result={result} behind={behind} />}
        </Wrong>
      ))}
      {weight && (
        <p className="border-t border-line pt-1.5" title={weight.source}>
          <Mark verdict="fine" word="Bytes" /> <span className="figure text-xs">{weight.measured}</span>{" "}
          <span className="figure text-xs text-ink-2">{weight.allowed}</span>
        </p>
      )}
      {right.length > 0 && (
        <p className="border-t border-line pt-1.5 text-ink-2" title={right.map(inWords).join("\n")}>
          <Mark verdict="fine" word="" /> {right.map((rule) => rule.rule.toLowerCase()).join(", ")}{" "}
          {right.length === 1 ? "passes" : "pass"}
        </p>
      )}
      {!target && (
        <p className="text-xs text-ink-2">Choose where it goes: its limits are checked on the real file.</p>
      )}
      <Limits bench={bench} target={target} />
    </section>
  );
}

const inWords = (rule: Rule) => `${rule.rule}: ${rule.measured}, allowed ${rule.allowed}`;

function Wrong({
  rule,
  bench,
  children,
}: {
  rule: Rule;
  bench: PanelProps["bench"];
  /** What helps before its remedy does. */
  children?: ReactNode;
}) {
  const { remedy } = rule;
  return (
    <div
      className="grid grid-cols-[1fr_auto] items-center gap-x-2 gap-y-1 border-t border-line pt-1.5"
      title={rule.source}
    >
      <span className="min-w-0">
        <Mark verdict={MARKS[rule.verdict]} word={rule.rule} />{" "}
        <span className="figure text-xs">{rule.measured}</span>
        <span className="figure block text-xs text-ink-2">{rule.allowed}</span>
      </span>
      {children && <div className="order-last col-span-2">{children}</div>}
      {remedy && (
        <Button className="h-[26px]! px-2!" onClick={() => applyRemedy(bench, remedy)}>
          {wordsOf(remedy)}
        </Button>
      )}
      {rule.help && <span className="col-span-2 text-xs text-ink-2">{rule.help}</span>}
    </div>
  );
}

const FIGURES = [
  ["width", "Widest", "px"],
  ["height", "Highest", "px"],
  ["frames", "Most frames", ""],
  ["fps", "Fastest", "fps"],
] as const;

/** Limits set by hand, kept as a target of one's own, or brought from a file. */
function Limits({ bench, target }: { bench: PanelProps["bench"]; target: Target | null }) {
  const queries = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [title, setTitle] = useState("");
  const limit = (figure: string, most: number | null) =>
    bench.editOutput(most === null ? `No limit of ${figure}` : `Limit of ${figure}: ${most}`, (so) =>
      withLimit(so, figure, most),
    );
  const keep = async (document: string, file: string) => {
    try {
      await data(api.POST("/api/targets", { body: { document, file } }));
      await queries.invalidateQueries({ queryKey: ["targets"] });
    } catch (error) {
      tellError(error);
    }
  };
  const known = useTargets().data;
  const own = known?.find((one) => one.own && one.target.name === target?.name);
  const forget = async (which: string) => {
    try {
      await data(api.DELETE("/api/targets/{name}", { params: { path: { name: which } } }));
      await queries.invalidateQueries({ queryKey: ["targets"] });
      tell("The target was deleted. Outputs that go there keep its limits.");
    } catch (error) {
      tellError(error);
    }
  };
  const name = title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")
    .slice(0, 40);
  const save = async () => {
    if (!name || !target) return;
    const own = { ...target, name, title: title.trim() };
    await keep(JSON.stringify(own), `${name}.json`);
    bench.editOutput(`For ${own.title}`, (so) => ({ ...so, target: own }));
    setTitle("");
  };
  const exported = target && `data:application/json,${encodeURIComponent(JSON.stringify(target, null, 2))}`;
  return (
    <details className="border-t border-line pt-1.5">
      <summary className="cursor-pointer text-ink-2 hover:text-ink">Your own limits and targets</summary>
      <div className="flex flex-col gap-1.5 pt-1.5">
        {FIGURES.map(([figure, label, unit]) => (
          <Row key={figure} label={label}>
            <NumberField
              label={label}
              units={unit ? { [unit]: 1 } : {}}
              value={target?.figures[figure]?.stop?.most ?? null}
              min={1}
              max={100_000}
              placeholder="any"
              className="w-[72px] text-right"
              onCommit={(most) => limit(figure, most)}
              onClear={() => limit(figure, null)}
            />
            <span className="text-ink-2">{unit}</span>
          </Row>
        ))}
        {target && (
          <Row label="Save as">
            <TextField
              label="Title of the target"
              value={title}
              placeholder="its title"
              maxLength={80}
              read={(text) => text.trim()}
              className="min-w-0 grow font-sans!"
              onCommit={setTitle}
            />
            <Button className="h-[26px]!" disabled={!name} onClick={() => void save()}>
              Save
            </Button>
          </Row>
        )}
        <span className="flex gap-1.5">
          <Button className="h-[26px]!" onClick={() => chooser.current?.click()}>
            Import a target…
          </Button>
          {exported && target.name && (
            <a
              href={exported}
              download={`${target.name}.json`}
              className="inline-flex h-[26px] items-center rounded-[7px] border border-line bg-card px-3 font-medium hover:border-ink-3"
            >
              Export it
            </a>
          )}
          {own && (
            <Button className="h-[26px]!" onClick={() => void forget(own.target.name)}>
              Delete it
            </Button>
          )}
        </span>
        <input
          ref={chooser}
          type="file"
          accept="application/json,.json"
          aria-label="Target file"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            event.target.value = "";
            if (file) void file.text().then((text) => keep(text, file.name));
          }}
        />
      </div>
    </details>
  );
}
