// What a bench is looked at with, kept for this window over a reload and a visit to the shelf.

import { useEffect, useRef } from "react";
import { show, usePlayhead } from "../player/playhead";
import { useSelection } from "./selection";
import { useZoom } from "./strip/scale";
import type { Shown } from "./useShown";
import { PARTS, type Part } from "./verdicts";

interface Kept {
  part: Part;
  index: number;
  places: number[];
  zoom: number;
  from: number;
}

const key = (project: string) => `jayflick-bench-${project}`;

/** How a project was last looked at in this window, if it was. */
export function recall(project: string): Kept | null {
  try {
    const kept = JSON.parse(sessionStorage.getItem(key(project)) ?? "null") as Kept | null;
    return kept && PARTS.includes(kept.part) ? kept : null;
  } catch {
    return null;
  }
}

/** Bring back selection, zoom and playhead once the pictures are there, and keep them from then on. */
export function useMemory(project: string, part: Part, shown: Shown | null): void {
  const ready = shown !== null;
  const now = useRef(part);
  now.current = part;
  useEffect(() => {
    if (!ready) return;
    const kept = recall(project);
    useSelection.setState({ places: new Set(kept?.places), anchor: -1 });
    useZoom.setState({ zoom: kept?.zoom ?? 1, from: kept?.from ?? 0 });
    if (kept && kept.index > 0 && kept.index < usePlayhead.getState().line.ends.length) show(kept.index);
    const keep = () => {
      const state: Kept = {
        part: now.current,
        index: usePlayhead.getState().playing ? 0 : usePlayhead.getState().index,
        places: [...useSelection.getState().places],
        zoom: useZoom.getState().zoom,
        from: useZoom.getState().from,
      };
      sessionStorage.setItem(key(project), JSON.stringify(state));
    };
    window.addEventListener("pagehide", keep);
    return () => {
      window.removeEventListener("pagehide", keep);
      keep();
    };
  }, [project, ready]);
}
