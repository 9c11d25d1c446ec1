// A remedy that the service worked out, applied as one edit.

import type { Output, Recipe } from "../api/client";
import type { Bench } from "./edits";

export interface Remedy {
  text: string;
  settings: readonly { path: string[]; value?: unknown }[];
}

/** What is on its button. */
export const wordsOf = ({ text }: Remedy) => text.charAt(0).toUpperCase() + text.slice(1);

export const applyRemedy = (bench: Bench, { text, settings }: Remedy) =>
  bench.edit(text, (recipe) => remedied(recipe, bench.output.id, settings));

/** The recipe with a remedy's settings. */
function remedied(recipe: Recipe, id: string, settings: Remedy["settings"]): Recipe {
  return settings.reduce((so, { path: [where, ...keys], value }) => {
    if (where === "output")
      return {
        ...so,
        outputs: so.outputs.map((one) => (one.id === id ? (withValue(one, keys, value) as Output) : one)),
      };
    if (where === "rhythm") return { ...so, rhythm: withValue(so.rhythm, keys, value) as Recipe["rhythm"] };
    return so;
  }, recipe);
}

function withValue(part: object, [key, ...rest]: readonly string[], value: unknown): object {
  if (key === undefined) return part;
  const inner = (part as Record<string, unknown>)[key];
  const next = rest.length === 0 ? value : withValue(inner as object, rest, value);
  return { ...part, [key]: next };
}
