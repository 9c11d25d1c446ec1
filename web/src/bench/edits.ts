// Changes to a recipe on their way to the service: shown at once, sent in order, never lost.

import { queryOptions, replaceEqualDeep, useQuery, type QueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { create } from "zustand";
import {
  api,
  ApiError,
  data,
  type FrameSet,
  type Output,
  type Project,
  type ProjectInfo,
  type Recipe,
} from "../api/client";
import { jobKey, useLive } from "../api/live";
import { tellError } from "../ui/notices";
import type { Flight } from "./flight";
import { useSoFar } from "./useSoFar";
import type { Grid } from "./views";

interface Edit {
  project: string;
  label: string;
  /** Edits of one gesture are sent, and undone, as one. */
  gesture: string;
  /** The output that was looked at: it is made first. */
  output: string;
  change: (recipe: Recipe) => Recipe;
  /** How many steps (undo, redo, another project put behind) had been asked for before it was made. */
  after: number;
}

interface Edits {
  waiting: Edit[];
  sending: boolean;
  /** What was sent and not answered yet. Asked for again, it is asked for just so: it is never done twice. */
  unanswered: Sent | null;
  /** Why the waiting edits are not saved yet, when the service cannot be reached. */
  held: string;
  /** Steps asked for, and how many of them are over: edits and steps go their way in the order they were made. */
  asked: number;
  over: number;
}

/** The first of the waiting edits, and what they make of the revision that was known. */
interface Sent {
  project: string;
  batch: Edit[];
  base: number;
  recipe: Recipe;
}

export const useEdits = create<Edits>(() => ({
  waiting: [],
  sending: false,
  unanswered: null,
  held: "",
  asked: 0,
  over: 0,
}));

/** Whether anything is on its way, or waits to be. */
export const underWay = ({ waiting, asked, over }: Edits) => waiting.length > 0 || asked > over;

/** What each waiting edit made of a recipe: of the same one it makes the same, down to the object. */
const made = new WeakMap<Edit, { of: Recipe; recipe: Recipe }>();

function applied(of: Recipe, edit: Edit): Recipe {
  const known = made.get(edit);
  if (known?.of === of) return known.recipe;
  const recipe = edit.change(of);
  made.set(edit, { of, recipe });
  return recipe;
}

const RETRY = 1000;
/** While a control moves, a render under way is let finish or, as it shows what it codes, go on for so long. */
const PATIENCE = 1000;
/** On a busy machine it may need longer before it shows anything: otherwise none ever would. */
const LONGEST = 6000;
let queries: QueryClient | undefined;
let timer: ReturnType<typeof setTimeout> | undefined;
let sentAt = 0;

export function startEdits(client: QueryClient): void {
  queries = client;
  window.addEventListener("beforeunload", (event) => {
    if (useEdits.getState().waiting.length > 0) event.preventDefault();
  });
}

const cached = (project: string) => queries?.getQueryData<Project>(["project", project]);

function renderUnderWay(project: string, output: string): boolean {
  const state = useLive.getState().jobs[jobKey(project, output)]?.state;
  const known = cached(project);
  const result = known?.results.find((one) => one.output_id === output);
  const behind = result?.revision_id !== known?.revision.id;
  // What is heard of jobs may be from before the last change.
  const mayCome = result !== undefined && state !== "failed" && state !== "cancelled";
  const nothingYet = mayCome && useSoFar.getState().steps === 0;
  const patience = nothingYet ? LONGEST : PATIENCE;
  return (state === "running" || behind) && performance.now() - sentAt < patience;
}

function soon(delay: number): void {
  clearTimeout(timer);
  timer = setTimeout(() => void send(false), delay);
}

/** Send what waits. `now` does not wait for a render under way: the newest wish wins. */
export async function send(now: boolean): Promise<void> {
  const { waiting, sending, over } = useEdits.getState();
  const first = waiting[0];
  if (!first || sending || first.after > over || !queries) return;
  const known = cached(first.project);
  if (!known) return;
  if (!now && renderUnderWay(first.project, first.output)) {
    soon(30);
    return;
  }
  clearTimeout(timer);
  const { project, batch, base, recipe } = useEdits.getState().unanswered ?? next(waiting, first, known);
  useEdits.setState({ sending: true, unanswered: { project, batch, base, recipe } });
  let again = 0;
  try {
    sentAt = performance.now();
    const info = await data<ProjectInfo>(
      api.PUT("/api/projects/{project_id}/recipe", {
        params: { path: { project_id: project } },
        body: {
          base_revision: base,
          label: batch.at(-1)?.label ?? first.label,
          gesture: first.gesture,
          chosen: batch.at(-1)?.output ?? first.output,
          recipe,
        },
      }),
    );
    // Both at once, or the edits would be laid over themselves on the screen.
    queries.setQueryData(["project", project], newest(await withFrames(queries, info, recipe)));
    done(batch);
  } catch (error) {
    if (error instanceof ApiError && error.passing) {
      useEdits.setState({ held: error.problem.message });
      again = RETRY;
    } else if (error instanceof ApiError && error.status === 409) {
      useEdits.setState({ unanswered: null });
      await queries.refetchQueries({ queryKey: ["project", project] });
    } else {
      done(batch);
      tellError(error);
    }
  }
  useEdits.setState({ sending: false });
  if (again) soon(again);
  else if (useEdits.getState().waiting.length > 0) void send(now);
}

/** The first edits that can be sent as one, laid over what is known. */
function next(waiting: Edit[], first: Edit, known: Project): Sent {
  const together = waiting.findIndex(
    (edit) =>
      edit.project !== first.project ||
      edit.after !== first.after ||
      edit.gesture !== first.gesture ||
      !first.gesture,
  );
  const batch = waiting.slice(0, together <= 0 ? (first.gesture ? waiting.length : 1) : together);
  const recipe = batch.reduce(applied, known.recipe);
  return { project: first.project, batch, base: known.revision.id, recipe };
}

function done(batch: Edit[]): void {
  useEdits.setState(({ waiting }) => ({
    waiting: waiting.filter((edit) => !batch.includes(edit)),
    unanswered: null,
    held: "",
  }));
  for (const project of new Set(batch.map((edit) => edit.project))) keepUnsent(project);
}

/** What was not saved yet when the page went, as it would be now. */
export interface Unsent {
  base: number;
  label: string;
  recipe: Recipe;
}

const unsentKey = (project: string) => `jayflick-unsent-${project}`;

/** A project's changes that wait are also written down, where a crash of the page cannot reach them. */
function keepUnsent(project: string): void {
  const mine = useEdits.getState().waiting.filter((edit) => edit.project === project);
  const last = mine.at(-1);
  const known = cached(project);
  try {
    if (!last || !known) localStorage.removeItem(unsentKey(project));
    else {
      const recipe = mine.reduce(applied, known.recipe);
      const kept: Unsent = { base: known.revision.id, label: last.label, recipe };
      localStorage.setItem(unsentKey(project), JSON.stringify(kept));
    }
  } catch {
    // Without room, or without leave, there is no second copy; the first is on its way.
  }
}

/** What an earlier page left unsaved, once: it is either taken up again or gone. */
export function takeUnsent(project: string): Unsent | null {
  try {
    const unsent = JSON.parse(localStorage.getItem(unsentKey(project)) ?? "null") as Unsent | null;
    localStorage.removeItem(unsentKey(project));
    return unsent;
  } catch {
    return null;
  }
}

/**
 * Of what was just answered and what is known, the newer: an answer to a read may be overtaken on its way by that to a
 * change. A project's last change is dated while it is locked, so that the dates of changes are in their order.
 */
function newest(answer: Project): Project {
  const known = cached(answer.id);
  return known && known.changed > answer.changed ? known : answer;
}

function queue(edit: Omit<Edit, "after">): void {
  useEdits.setState(({ waiting, asked }) => ({ waiting: [...waiting, { ...edit, after: asked }] }));
  keepUnsent(edit.project);
  if (edit.gesture) soon(20);
  else void send(true);
}

/** Resolves once nothing that was made before a step waits any more, or it cannot be sent now. */
async function sent(step: number): Promise<void> {
  for (;;) {
    await send(true);
    const { waiting, sending, held } = useEdits.getState();
    if (!waiting.some((edit) => edit.after < step) || held) return;
    if (sending) await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

let travelling = Promise.resolve(true);

type Answer = Parameters<typeof data>[0];

/** What is no change of the recipe is asked for after the changes made before it, one after the other, if it still can be. */
function travel(ask: () => Answer | null): Promise<boolean> {
  const number = useEdits.getState().asked + 1;
  useEdits.setState({ asked: number });
  travelling = travelling.then(() => step(number, ask));
  return travelling;
}

/** Whether it was done. */
async function step(number: number, ask: () => Answer | null): Promise<boolean> {
  await sent(number);
  let done = true;
  try {
    const answer = ask();
    const info = answer && (await data<ProjectInfo>(answer));
    if (info && queries) queries.setQueryData(["project", info.id], newest(await withFrames(queries, info)));
  } catch (error) {
    done = false;
    tellError(error);
  }
  useEdits.setState({ over: number });
  void send(true);
  return done;
}

export interface Bench {
  project: Project;
  /** The recipe with the changes still on their way. */
  recipe: Recipe;
  output: Output;
  edit: (label: string, change: (recipe: Recipe) => Recipe, gesture?: string) => void;
  editOutput: (label: string, change: (output: Output) => Output, gesture?: string) => void;
  /** Send at once what a moving control left waiting. */
  release: () => void;
  undo: () => void;
  redo: () => void;
  /** Append another project's frames to this one's. */
  join: (other: string) => Promise<boolean>;
  /** Cut the pictures into the views on them. */
  cut: (grid: Grid) => Promise<boolean>;
  /** Make frames of a cut-out that moves over a backdrop. */
  fly: (flight: Flight) => Promise<boolean>;
}

/**
 * What the service answers, with the frames it speaks of: a set of them never changes and is fetched once. What is
 * as it was stays the same object, so that nothing made of it need be made again.
 */
async function withFrames(
  client: QueryClient,
  info: ProjectInfo,
  recipe = client.getQueryData<Project>(["project", info.id])?.recipe,
): Promise<Project> {
  const frames = await client.query({
    queryKey: ["frames", info.id, info.frame_set],
    queryFn: () =>
      data<FrameSet>(
        api.GET("/api/projects/{project_id}/frames/{frame_set}", {
          params: { path: { project_id: info.id, frame_set: info.frame_set } },
        }),
      ),
    staleTime: "static",
    gcTime: Infinity,
  });
  const before = client.getQueryData<Project>(["project", info.id])?.results;
  return {
    ...info,
    recipe: replaceEqualDeep(recipe, info.recipe),
    results: info.results.map((result) => before?.find(({ id }) => id === result.id) ?? result),
    frame_list: frames.frames,
    report: frames.report,
  };
}

/** Resolves once it is known what became of each change of a project that was sent. */
function answered(project: string): Promise<void> {
  return new Promise((resolve) => {
    const look = () => {
      if (useEdits.getState().unanswered?.project === project) return;
      off();
      resolve();
    };
    const off = useEdits.subscribe(look);
    look();
  });
}

/**
 * A project as the service has it. An answer may hold a change that was sent and not answered yet, on which that
 * change, still waiting here, would be laid once more: it is kept back until then.
 */
export const projectQuery = (projectId: string) =>
  queryOptions({
    queryKey: ["project", projectId],
    queryFn: async ({ client }) => {
      const path = { project_id: projectId };
      const info = await data<ProjectInfo>(api.GET("/api/projects/{project_id}", { params: { path } }));
      const project = await withFrames(client, info);
      await answered(projectId);
      return newest(project);
    },
    retry: (tries, error) => error instanceof ApiError && error.passing && tries < 20,
    retryDelay: RETRY,
    structuralSharing: false,
  });

/** A project on the bench, or undefined until it is loaded. */
export function useBench(projectId: string, outputId: string | null): { bench?: Bench; error: Error | null } {
  const query = useQuery(projectQuery(projectId));
  const waiting = useEdits((state) => state.waiting);
  const project = query.data;
  const bench = useMemo(() => {
    if (!project) return undefined;
    const mine = waiting.filter((edit) => edit.project === projectId);
    const recipe = mine.reduce(applied, project.recipe);
    const output = recipe.outputs.find((one) => one.id === outputId) ?? recipe.outputs[0];
    if (!output) return undefined;
    const params = { path: { project_id: projectId } };
    const looking = { ...params, query: { chosen: output.id } };
    const edit: Bench["edit"] = (label, change, gesture = "") => {
      queue({ project: projectId, label, change, gesture, output: output.id });
    };
    return {
      project,
      recipe,
      output,
      edit,
      editOutput: (label: string, change: (output: Output) => Output, gesture = "") =>
        edit(
          label,
          (so) => ({ ...so, outputs: so.outputs.map((one) => (one.id === output.id ? change(one) : one)) }),
          gesture,
        ),
      release: () => void send(true),
      undo: () =>
        void travel(() =>
          cached(projectId)?.undo ? api.POST("/api/projects/{project_id}/undo", { params: looking }) : null,
        ),
      redo: () =>
        void travel(() =>
          cached(projectId)?.redo ? api.POST("/api/projects/{project_id}/redo", { params: looking }) : null,
        ),
      join: (other: string) =>
        travel(() => api.POST("/api/projects/{project_id}/join", { params, body: { project_id: other } })),
      cut: (grid: Grid) =>
        travel(() => {
          const base_revision = cached(projectId)?.revision.id ?? project.revision.id;
          return api.POST("/api/projects/{project_id}/views", { params, body: { ...grid, base_revision } });
        }),
      fly: ({ cutOut, backdrop, ...flight }: Flight) =>
        travel(() => {
          const base_revision = cached(projectId)?.revision.id ?? project.revision.id;
          const body = { base_revision, cut_out: cutOut, backdrop: backdrop || null, flight };
          return api.POST("/api/projects/{project_id}/flight", { params, body });
        }),
    };
  }, [project, waiting, projectId, outputId]);
  return { bench, error: query.error };
}
