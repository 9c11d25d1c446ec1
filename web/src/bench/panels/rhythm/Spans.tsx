// Named runs of frames: idle, walk; each with its own rate, direction and repeat, and what the output takes.

import { X } from "lucide-react";
import { useState } from "react";
import { count, readRate } from "../../../format";
import { Button, IconButton, NumberField, Row, Segmented, TextField } from "../../../ui/controls";
import type { Bench } from "../../edits";
import { freeName, placesOf, tintOf, type Span } from "../../range";
import { chosenPlaces, useSelection } from "../../selection";
import { withSpanNamed } from "../../spanNames";
import { anyOf } from "../../../wildcard";
import type { PanelProps } from "../panel";

export function SpansPart({ bench }: PanelProps) {
  const { rhythm } = bench.recipe;
  const chosen = useSelection((state) => state.places);
  const places = placesOf(bench);
  const edit = (label: string, change: (spans: readonly Span[]) => readonly Span[]) =>
    bench.edit(label, (recipe) => ({
      ...recipe,
      rhythm: { ...recipe.rhythm, spans: [...change(recipe.rhythm.spans)] },
    }));
  const parts = bench.project.report.parts;
  const some = chosenPlaces();
  const add = () => {
    const [first, last] = [some[0] ?? rhythm.first ?? 1, some.at(-1) ?? rhythm.last ?? places];
    edit("Span named", (spans) => [
      ...spans,
      { name: freeName(spans, "span"), first, last, rate: null, direction: null, repeat: null },
    ]);
  };
  const ofParts = () =>
    edit("Spans of the names", () =>
      parts.reduce<Span[]>((spans, part) => {
        const wish = part.labels.join(" ") || part.pattern.replace(/[#._\-/]+/g, " ").trim() || "part";
        const { first, last } = part;
        return [
          ...spans,
          { name: freeName(spans, wish.slice(0, 70)), first, last, rate: null, direction: null, repeat: null },
        ];
      }, []),
    );
  return (
    <>
      <div className="flex flex-wrap gap-1.5">
        <Button onClick={add}>{chosen.size > 0 ? `Name the ${chosen.size} selected` : "Name the range"}</Button>
        {parts.length > 0 && rhythm.order === null && (
          <Button onClick={ofParts}>One for each part ({parts.length})</Button>
        )}
      </div>
      {rhythm.spans.length === 0 ? (
        <p className="text-ink-2">
          A span is a run of frames with a name, such as idle or walk. It may have a rate of its own, and the
          output can take it alone.
        </p>
      ) : (
        <>
          <Taken bench={bench} />
          <ul aria-label="Spans" className="flex flex-col gap-2">
            {rhythm.spans.map((span, index) => (
              <Line
                key={index}
                span={span}
                places={places}
                tint={tintOf(index)}
                change={(label, change) => changeSpan(bench, span.name, label, change)}
                remove={() => removeSpan(bench, span.name)}
              />
            ))}
          </ul>
        </>
      )}
    </>
  );
}

function takeSpans(bench: Bench, spans: readonly string[]): void {
  const [only] = spans;
  bench.editOutput(
    only === undefined ? "Uses the range" : `Uses ${spans.length > 1 ? count(spans.length, "span") : only}`,
    (output) => ({ ...output, take: { ...output.take, spans: [...spans] } }),
  );
}

/** What the output on show takes: the range, a span, or all whose names match. */
function Taken({ bench }: { bench: Bench }) {
  const { spans } = bench.recipe.rhythm;
  const taken = bench.output.take.spans;
  const [typed, setTyped] = useState("");
  const named = (text: string) => {
    const matches = anyOf(text);
    return spans.map(({ name }) => name).filter((name) => matches(name));
  };
  const found = typed.trim() === "" ? null : named(typed);
  const frames = (names: readonly string[]) =>
    spans.reduce((sum, { name, first, last }) => sum + (names.includes(name) ? last - first + 1 : 0), 0);
  return (
    <>
      <Row label="Plays">
        <select
          aria-label="What the output takes"
          value={taken.length > 1 ? "several" : (taken[0] ?? "")}
          onChange={({ target }) => takeSpans(bench, target.value === "" ? [] : [target.value])}
          className="h-[26px] max-w-full rounded-[6px] border border-line bg-card px-1"
        >
          <option value="">the range</option>
          {taken.length > 1 && (
            <option value="several" disabled>
              {count(taken.length, "span")}
            </option>
          )}
          {spans.map((span) => (
            <option key={span.name} value={span.name}>
              {span.name}
            </option>
          ))}
        </select>
      </Row>
      {spans.length > 1 && (
        <Row label="or by name">
          <TextField
            label="All spans with these names"
            value=""
            placeholder="walk, idle*"
            onText={setTyped}
            read={(text) => (text.trim() === "" || named(text).length > 0 ? text : null)}
            why="No span has such a name."
            onCommit={(text) => {
              if (text.trim() !== "") takeSpans(bench, named(text));
            }}
            className="min-w-0 grow font-sans!"
          />
        </Row>
      )}
      {(found ?? taken).length > 1 && (
        <p role="status" className="text-ink-2">
          {found ? "Enter takes" : "One after the other:"} {(found ?? taken).join(", ")} (
          {count(frames(found ?? taken), "frame")})
        </p>
      )}
    </>
  );
}

/** Change a span; outputs that take it follow when its name changes. */
function changeSpan(bench: Bench, name: string, label: string, change: Partial<Span>): void {
  bench.edit(label, (recipe) => ({
    ...recipe,
    rhythm: {
      ...recipe.rhythm,
      spans: recipe.rhythm.spans.map((one) => (one.name === name ? { ...one, ...change } : one)),
    },
    outputs: recipe.outputs.map((one) =>
      change.name === undefined ? one : withSpanNamed(one, name, change.name),
    ),
  }));
}

function removeSpan(bench: Bench, name: string): void {
  bench.edit(`Span ${name} removed`, (recipe) => ({
    ...recipe,
    rhythm: { ...recipe.rhythm, spans: recipe.rhythm.spans.filter((one) => one.name !== name) },
    outputs: recipe.outputs.map((one) => withSpanNamed(one, name, null)),
  }));
}

function Line({
  span,
  places,
  tint,
  change,
  remove,
}: {
  span: Span;
  places: number;
  tint: string;
  change: (label: string, change: Partial<Span>) => void;
  remove: () => void;
}) {
  return (
    <li aria-label={span.name} className="flex flex-col gap-1.5 rounded-[8px] bg-well px-2.5 py-2">
      <span className="flex items-center gap-1.5">
        <span aria-hidden className={`size-3.5 shrink-0 rounded-[4px] border ${tint}`} />
        <TextField
          label="Name of the span"
          value={span.name}
          maxLength={80}
          onCommit={(name) => change(`Span named ${name}`, { name })}
          className="min-w-0 grow font-sans!"
        />
        <IconButton look="quiet" tip={`Remove ${span.name}`} onClick={remove}>
          <X size={14} />
        </IconButton>
      </span>
      <span className="flex items-center gap-1.5">
        <NumberField
          label={`${span.name}, first frame`}
          value={span.first}
          min={1}
          max={span.last}
          onCommit={(first) => change(`${span.name} from ${first}`, { first })}
        />
        <span className="text-ink-2">to</span>
        <NumberField
          label={`${span.name}, last frame`}
          value={span.last}
          min={span.first}
          max={places}
          onCommit={(last) => change(`${span.name} to ${last}`, { last })}
        />
        <TextField
          label={`${span.name}, frames a second`}
          value={span.rate ?? ""}
          placeholder="rate"
          read={readRate}
          onCommit={(rate) => change(`${span.name} at ${rate || "the rate of all"}`, { rate: rate || null })}
          className="w-[64px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
        <span className="text-ink-2">fps</span>
      </span>
      <span className="flex flex-wrap items-center gap-1.5">
        <Segmented
          label={`${span.name}, direction`}
          value={span.direction ?? "as all"}
          choices={[
            { value: "as all", label: "as all" },
            { value: "forward", label: "→", name: "forward" },
            { value: "reverse", label: "←", name: "reverse" },
            { value: "there-and-back", label: "⇄", name: "there and back" },
          ]}
          onChange={(next) => change(`${span.name}: ${next}`, { direction: next === "as all" ? null : next })}
        />
        <TextField
          label={`${span.name}, repeat`}
          value={span.repeat === null ? "" : String(span.repeat)}
          placeholder="times"
          title="How often it plays by itself; 0 for ever"
          read={(text) =>
            text === "" || (/^\d{1,5}$/.test(text.trim()) && Number(text) <= 65536) ? text.trim() : null
          }
          onCommit={(text) => change(`${span.name}: repeat`, { repeat: text === "" ? null : Number(text) })}
          className="w-[58px] text-right placeholder:font-sans placeholder:text-ink-3"
        />
      </span>
    </li>
  );
}
