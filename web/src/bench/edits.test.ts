import { notifyManager, QueryClient, QueryObserver } from "@tanstack/react-query";
import { expect, it, vi } from "vitest";
import type { Project, Recipe } from "../api/client";
import { addOutput } from "./outputs";
import { projectQuery, send, startEdits, useEdits, type Bench } from "./edits";

/** A service of one project: a change is stored, and its answer then comes when it is let through, or gets lost. */
const service = vi.hoisted(() => ({
  revision: 1,
  recipe: { outputs: [{ id: "gif", name: "GIF" }] } as unknown as Recipe,
  lost: 0,
  late: [] as (() => void)[],
}));

vi.mock("../api/client", async (original) => {
  const of = (data: object) => ({ data, response: { ok: true, status: 200 } });
  const project = () => ({
    id: "wake",
    revision: { id: service.revision },
    changed: `2026-11-30T12:00:0${service.revision}Z`,
    recipe: service.recipe,
    results: [],
  });
  return {
    ...(await original<object>()),
    api: {
      GET: async (path: string) => Promise.resolve(of(path.includes("frames") ? { frames: [] } : project())),
      PUT: async (_: string, { body }: { body: { base_revision: number; recipe: Recipe } }) => {
        if (JSON.stringify(body.recipe) !== JSON.stringify(service.recipe)) {
          if (body.base_revision !== service.revision)
            return { error: {}, response: { ok: false, status: 409 } };
          service.recipe = body.recipe;
          service.revision += 1;
        }
        const stored = of(project());
        await new Promise<void>((resolve) => service.late.push(resolve));
        if (service.lost-- > 0) throw new TypeError("Failed to fetch");
        return stored;
      },
    },
  };
});

it.each([
  { answer: "late", lost: 0 },
  { answer: "lost", lost: 1 },
])("a change whose answer is $answer is never laid over itself", async ({ answer, lost }) => {
  vi.stubGlobal("window", { addEventListener: () => undefined });
  const queries = new QueryClient();
  startEdits(queries);
  const shown: string[] = [];
  const look = () => {
    const known = queries.getQueryData<Project>(["project", "wake"]);
    const recipe = useEdits
      .getState()
      .waiting.reduce((so, edit) => edit.change(so), known?.recipe ?? service.recipe);
    shown.push(recipe.outputs.map(({ id }) => id).join(" "));
  };
  const off = [
    // As a component is told.
    new QueryObserver(queries, projectQuery("wake")).subscribe(notifyManager.batchCalls(look)),
    useEdits.subscribe(look),
  ];
  await vi.waitFor(() => expect(queries.getQueryData(["project", "wake"])).toBeDefined());
  const before = service.recipe.outputs.map(({ id }) => id).join(" ");
  service.lost = lost;
  const edit: Bench["edit"] = (label, change) => {
    const one = { project: "wake", label, change, gesture: "", output: "gif", after: 0 };
    useEdits.setState(({ waiting }) => ({ waiting: [...waiting, one] }));
    void send(true);
  };
  addOutput({ edit } as Bench, { id: answer, name: answer } as Recipe["outputs"][number]);
  // What is shown is read again meanwhile, as when another window or a connection that is back asks for it.
  for (let round = 0; useEdits.getState().waiting.length > 0; round += 1) {
    expect(round).toBeLessThan(300);
    void queries.invalidateQueries({ queryKey: ["project"] });
    await new Promise((resolve) => setTimeout(resolve, 10));
    service.late.splice(0, round % 10 ? 0 : 1).forEach((pass) => pass());
  }
  await vi.waitFor(() => expect(queries.isFetching()).toBe(0));
  look();
  expect(new Set(shown)).toEqual(new Set([before, `${before} ${answer}`]));
  expect(shown.at(-1)).toBe(`${before} ${answer}`);
  off.forEach((end) => end());
});
