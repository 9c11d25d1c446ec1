// News from the service, and whether it can be reached.

import type { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import type { JobInfo, ProjectInfo } from "./client";

interface Live {
  lost: boolean;
  /** The service that answers now has another client than this page. */
  renewed: boolean;
  /** The newest news of running jobs, by project and output. */
  jobs: Record<string, JobInfo>;
  /** The file that is being taken apart, by import. */
  taking: Record<string, Taking>;
}

export interface Taking {
  /** The file that is read, and frames of it so far. */
  name?: string;
  frames?: number;
  /** Files read, of how many, where the service reads them where they lie. */
  done?: number;
  total?: number;
  picture: string | null;
}

type News = { kind: string; client?: string; project_id?: string; changed?: string } & Partial<JobInfo>;

/** Milliseconds within which the answer to a request of this window's own is here as well. */
const OWN_ANSWER = 150;

export const useLive = create<Live>(() => ({ lost: false, renewed: false, jobs: {}, taking: {} }));

export const jobKey = (projectId: string, outputId: string) => `${projectId}/${outputId}`;

/**
 * Ask again for what is shown. An answer that is on its way for the first time may be older than the news, and is
 * not given up for another: then it is asked for once more when it came.
 */
export function refresh(queries: QueryClient, queryKey: readonly unknown[]): void {
  const first = queries
    .getQueryCache()
    .findAll({ queryKey, fetchStatus: "fetching" })
    .some(({ state }) => state.data === undefined);
  const asked = queries.invalidateQueries({ queryKey });
  if (first) void asked.then(() => queries.invalidateQueries({ queryKey }));
}

/** Milliseconds between two askings for what much news is about. */
const OFTEN = 300;
const due = new Set<string>();

/** Whether a long list is being scrolled: meanwhile nothing is fetched that would have it drawn anew. */
export const scrolled = { now: false };

/** Ask again for what much news is about, soon: an answer that is on its way is waited for. */
export function refreshSoon(queries: QueryClient, name: string): void {
  if (due.has(name)) return;
  due.add(name);
  const ask = () => {
    if (scrolled.now || queries.isFetching({ queryKey: [name] }) > 0) setTimeout(ask, OFTEN);
    else {
      due.delete(name);
      void queries.invalidateQueries({ queryKey: [name] });
    }
  };
  setTimeout(ask, OFTEN);
}

/** What the service said first of the client that belongs to it: this one. */
let client: string | undefined;

/** Listen until the page goes; reconnects by itself and reloads what was shown. */
export function listen(queries: QueryClient): void {
  let missed = false;
  const source = new EventSource("/api/events");
  source.onopen = () => {
    useLive.setState({ lost: false });
    if (missed) void queries.invalidateQueries();
    missed = false;
  };
  source.onerror = () => {
    missed = true;
    useLive.setState({ lost: true });
    if (source.readyState === EventSource.CLOSED) {
      source.close();
      setTimeout(() => listen(queries), 1000);
    }
  };
  source.onmessage = (message: MessageEvent<string>) => {
    const news = JSON.parse(message.data) as News;
    if (news.kind === "job") {
      const job = news as unknown as JobInfo;
      useLive.setState((state) => ({ jobs: { ...state.jobs, [jobKey(job.project_id, job.output_id)]: job } }));
      if (job.state === "queued" || job.state === "running") return;
      refreshSoon(queries, "table");
    }
    if (news.kind === "import") {
      const { import_id, ...taking } = news as unknown as Taking & { import_id: string };
      useLive.setState({ taking: { [import_id]: taking } });
      return;
    }
    if (news.kind === "source") {
      refresh(queries, ["source", news.project_id]);
      return;
    }
    if (news.kind === "search") {
      refresh(queries, ["trials", news.project_id]);
      refreshSoon(queries, "table"); // what was measured stands there too
      return;
    }
    if (news.kind === "hello") {
      client ??= news.client;
      useLive.setState({ renewed: client !== news.client });
      return;
    }
    refreshSoon(queries, "table");
    if (news.kind === "batch") {
      refreshSoon(queries, "batches");
      return;
    }
    refresh(queries, ["shelf"]);
    const project = news.project_id;
    if (!project) return;
    const reload = () => refresh(queries, ["project", project]);
    if (!news.changed) {
      reload();
      return;
    }
    // What this window changed itself comes with the answer to its request.
    setTimeout(() => {
      const known = queries.getQueryData<ProjectInfo>(["project", project]);
      if (known?.revision.id !== news.revision_id || known?.changed !== news.changed) reload();
    }, OWN_ANSWER);
  };
}
