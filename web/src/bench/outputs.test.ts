import { expect, test } from "vitest";
import api from "../../openapi.json";
import type { Output, Recipe } from "../api/client";
import cases from "../../../tests/core/untimed.json";
import { aimed, DEFAULTS, isUntimed, OPEN_TARGET } from "./outputs";

interface Schema {
  properties?: Record<string, { const?: string; $ref?: string }>;
}

const SCHEMAS = api.components.schemas as unknown as Record<string, Schema>;
const BASE = ["format", "id", "name", "file_name", "take", "framing", "size", "target"];

function schemaOf(format: string): Schema {
  const found = Object.entries(SCHEMAS).find(
    ([name, schema]) => name.endsWith("Output-Output") && schema.properties?.format?.const === format,
  );
  if (!found) throw new Error(`no schema for ${format}`);
  return found[1];
}

test.each(Object.keys(DEFAULTS))("a new %s has every setting that the service knows", (format) => {
  const settings: Record<string, unknown> = DEFAULTS[format as keyof typeof DEFAULTS];
  const properties = schemaOf(format).properties ?? {};
  expect(Object.keys(settings).sort()).toEqual(
    Object.keys(properties)
      .filter((key) => !BASE.includes(key))
      .sort(),
  );
  for (const [key, value] of Object.entries(settings)) {
    const parts = SCHEMAS[properties[key]?.$ref?.split("/").pop() ?? ""]?.properties;
    if (parts && value) expect(Object.keys(value).sort()).toEqual(Object.keys(parts).sort());
  }
});

const BLANK = { rate: "24", delay: null, holds: {}, speed: "100", length: null, spans: [] };

test.each(cases as [object, boolean][])("nobody has timed %o: %s", (said, untimed) => {
  const { spans = [], ...others } = said as { spans?: { rate?: string }[] };
  const full = spans.map((span) => ({ rate: null, ...span }));
  const rhythm = { ...BLANK, ...others, spans: full } as unknown as Recipe["rhythm"];
  expect(isUntimed(rhythm)).toBe(untimed);
});

test.each([
  [null, "24", "frames"],
  [705_600_000, "24", "time"],
  [null, "25", "time"],
])("at a target's rate, lasting %s of its own, at %s: keeps the %s", (length, rate, keep) => {
  const output = { ...DEFAULTS.frames, format: "frames", size: {}, take: { length } } as unknown as Output;
  const target = { ...OPEN_TARGET, preset: { ...OPEN_TARGET.preset, rate: "60" } };
  const { take } = aimed(output, target, { ...BLANK, rate } as unknown as Recipe["rhythm"]);
  expect(take).toMatchObject({ rate: "60", keep });
  const once = aimed(
    output,
    { ...target, preset: { ...target.preset, repeat: 1 } },
    BLANK as unknown as Recipe["rhythm"],
  );
  expect([take.repeat, once.take.repeat]).toEqual([undefined, 1]);
});
