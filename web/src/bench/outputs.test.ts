import { expect, test } from "vitest";
import api from "../../openapi.json";
import { DEFAULTS } from "./outputs";

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
