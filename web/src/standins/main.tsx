// The page of a stand-in: which one it is, it says itself.

import "@fontsource-variable/red-hat-mono/wght.css";
import "@fontsource-variable/schibsted-grotesk/wght.css";
import "../styles.css";

import { QueryClient, QueryClientProvider, useQuery, useQueryClient } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode, useEffect } from "react";
import { createRoot } from "react-dom/client";
import { data } from "../api/client";
import { api, bare, type Board, type Desk, type Plane, type Post, type Status } from "./api";
import { BoardPage } from "./BoardPage";
import { Bring } from "./Bring";
import { DeskPage } from "./Desk";
import { Frame, useDevice } from "./parts";
import { PlanePage } from "./PlanePage";
import { PostsPage } from "./PostsPage";

function StandIn() {
  const status = useQuery({
    queryKey: ["status"],
    queryFn: () => data<Status>(api.GET("/api/status")),
    refetchInterval: 2000,
  });
  const known = status.data;
  const queries = useQueryClient();
  useEffect(() => {
    if (!known) return;
    document.title = known.title;
    document.documentElement.classList.add(`standin-${known.kind}`);
  }, [known]);
  if (!known) return <p className="p-8 text-center">{status.error ? status.error.message : "Opening…"}</p>;
  const Page = PAGES[known.kind];
  return (
    <Frame status={known} lost={status.error !== null}>
      {Page ? <Page /> : <p>There is no page for this one.</p>}
      {!bare && <Bring status={known} onDone={() => void queries.invalidateQueries()} />}
    </Frame>
  );
}

const PAGES: Record<string, () => React.ReactNode> = {
  switcher: function Switcher() {
    return <DeskPage device={useDevice("desk", () => data<Desk>(api.GET("/api/desk")))} />;
  },
  graphics: function Graphics() {
    return <BoardPage device={useDevice("board", () => data<Board>(api.GET("/api/board")))} />;
  },
  post: function Posts() {
    return <PostsPage device={useDevice("posts", () => data<Post[]>(api.GET("/api/posts")))} />;
  },
  effects: function Effects() {
    return <PlanePage device={useDevice("plane", () => data<Plane>(api.GET("/api/plane")))} />;
  },
};

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
        <Tooltip.Provider delayDuration={350}>
          <StandIn />
        </Tooltip.Provider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
