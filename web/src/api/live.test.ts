import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { expect, it, vi } from "vitest";
import { listen, refresh, useLive } from "./live";

it("news that arrives before the first answer is not lost", async () => {
  const queries = new QueryClient();
  let state = "encoding";
  const waiting: (() => void)[] = [];
  const read = () => {
    const seen = state; // what the service answers is as old as the question
    return new Promise<string>((resolve) => waiting.push(() => resolve(seen)));
  };
  const shown = new QueryObserver(queries, { queryKey: ["project", "wake"], queryFn: read });
  const off = shown.subscribe(() => undefined);
  state = "ready";
  refresh(queries, ["project"]);
  for (let round = 0; round < 20 && shown.getCurrentResult().data !== "ready"; round += 1) {
    waiting.splice(0).forEach((answer) => answer());
    await new Promise((resolve) => setTimeout(resolve, 1));
  }
  expect(shown.getCurrentResult().data).toBe("ready");
  off();
});

it("a page learns that the service has another client now, and only then", () => {
  const sources: { onmessage?: (message: { data: string }) => void }[] = [];
  vi.stubGlobal("EventSource", function (this: (typeof sources)[number]) {
    sources.push(this);
  });
  listen(new QueryClient());
  const seen = ["one", "one", "two", "one"].map((client) => {
    sources[0]?.onmessage?.({ data: JSON.stringify({ kind: "hello", client }) });
    return useLive.getState().renewed;
  });
  expect(seen).toEqual([false, false, true, false]);
});
