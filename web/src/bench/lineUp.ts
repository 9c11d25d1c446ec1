// Frames lined up on one of them: how they are looked at meanwhile, and moves by hand.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { api, data, type Recipe, type SteadyInfo } from "../api/client";
import type { Box } from "./crop";
import type { Bench } from "./edits";

export type LineUp = NonNullable<Recipe["framing"]["line_up"]>;
export type Move = LineUp["moves"][string];
export type Look = "result" | "through" | "difference";
export type Free = "shift" | "turn" | "scale";

export const STILL: Move = { x: 0, y: 0, turn: 0, scale: 1 };

/** How frames are looked at while they are lined up, and what they are lined up on. */
export const useLineUp = create<{
  /** Which frames it is about: with others it begins anew. */
  of: string;
  look: Look;
  free: Free;
  anchor: number;
  box: Box | null;
}>(() => ({
  of: "",
  look: "result",
  free: "shift",
  anchor: 1,
  box: null,
}));

export const moveOf = (lineUp: LineUp | null | undefined, position: number): Move =>
  lineUp?.moves[String(position)] ?? STILL;

export const isStill = ({ x, y, turn, scale }: Move) => x === 0 && y === 0 && turn === 0 && scale === 1;

/** The line-up with some frames moved so; those that are not moved are not in it. */
export function withMoves(lineUp: LineUp, moves: Record<string, Move>): LineUp {
  const all = Object.entries({ ...lineUp.moves, ...moves }).filter(([, move]) => !isStill(move));
  return { ...lineUp, moves: Object.fromEntries(all) };
}

/** Where a canvas draws a frame of these sides that is moved so: a, b, c, d, e, f of its transform. */
export function transformOf(
  { x, y, turn, scale }: Move,
  drawnOn: readonly [number, number],
  width: number,
  height: number,
  enlarged: number,
): [number, number, number, number, number, number] {
  const angle = (turn * Math.PI) / 180;
  const along = Math.cos(angle) * scale * enlarged;
  const aside = Math.sin(angle) * scale * enlarged;
  const [across, down] = [width / 2, height / 2];
  const right = across + (x * width * enlarged) / drawnOn[0] - along * across + aside * down;
  const lower = down + (y * height * enlarged) / drawnOn[1] - aside * across - along * down;
  return [along, aside, -aside, along, right, lower];
}

const steadyQuery = ({ project, recipe }: Bench) => ({
  queryKey: ["steady", project.id, project.frame_set, recipe.framing.line_up, recipe.gather.left_out],
  queryFn: () =>
    data<SteadyInfo>(
      api.POST("/api/projects/{project_id}/steady", {
        params: { path: { project_id: project.id } },
        body: recipe.framing.line_up ?? { anchor: 1, moves: {}, drawn_on: [1, 1], cover: "open" },
      }),
    ),
  retry: false,
  gcTime: 60_000,
});

/** What the frames have in common as they are lined up, and by how much they are enlarged; `stale`: as they were before. */
export function useSteady(bench: Bench): (SteadyInfo & { stale: boolean }) | undefined {
  const lined = bench.recipe.framing.line_up !== null;
  const query = useQuery({
    ...steadyQuery(bench),
    enabled: lined,
    placeholderData: (before: SteadyInfo | undefined) => before,
  });
  return lined && query.data ? { ...query.data, stale: query.isPlaceholderData } : undefined;
}

/** The same, as soon as it is known. */
export function useFindSteady(bench: Bench): () => Promise<SteadyInfo> {
  const client = useQueryClient();
  return () => client.query({ ...steadyQuery(bench), staleTime: Infinity });
}

/** Move the frames that are lined up, or one of them by hand. */
export function setMoves(bench: Bench, moves: Record<string, Move>, label: string, gesture = ""): void {
  const { project } = bench;
  bench.edit(
    label,
    (recipe) => {
      const { framing } = recipe;
      const lineUp: LineUp = framing.line_up ?? {
        anchor: useLineUp.getState().anchor,
        moves: {},
        drawn_on: [project.width, project.height],
        cover: "open",
      };
      return { ...recipe, framing: { ...framing, line_up: withMoves(lineUp, moves) } };
    },
    gesture,
  );
}

/** A move by hand of one frame, to thousandths of a pixel. */
export function nudged(move: Move, dx: number, dy: number): Move {
  const round = (value: number) => Math.round(value * 1000) / 1000;
  return { ...move, x: round(move.x + dx), y: round(move.y + dy) };
}
