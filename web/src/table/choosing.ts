// Which of the things in a list are chosen: by a click, with Shift a run of them, by keys.

export interface Chosen {
  ids: ReadonlySet<string>;
  /** The one that was chosen or let go last: with Shift a run goes from it. */
  last: string | null;
}

export const NONE: Chosen = { ids: new Set(), last: null };

/** One more or one less; `run`: and all that lie between it and the last one, alike. */
export function toggled(now: Chosen, id: string, listed: readonly string[], run = false): Chosen {
  const ids = new Set(now.ids);
  const on = !ids.has(id);
  const from = now.last === null ? -1 : listed.indexOf(now.last);
  const to = listed.indexOf(id);
  const some = run && from >= 0 ? listed.slice(Math.min(from, to), Math.max(from, to) + 1) : [id];
  // A run is chosen as its beginning is.
  const chosen = run && from >= 0 && now.last !== null ? ids.has(now.last) : on;
  for (const one of some) {
    if (chosen) ids.add(one);
    else ids.delete(one);
  }
  return { ids, last: id };
}

/** Without what is not listed any more. */
export function among(now: Chosen, listed: readonly string[]): string[] {
  return listed.filter((id) => now.ids.has(id));
}
