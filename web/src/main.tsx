import "@fontsource-variable/red-hat-mono/wght.css";
import "@fontsource-variable/schibsted-grotesk/wght.css";
import "./styles.css";

import { notifyManager, QueryClient, QueryClientProvider, useQueryClient } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode, useEffect, useState } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Link, Outlet, useNavigate } from "react-router";
import { RouterProvider } from "react-router/dom";
import { listen, useLive } from "./api/live";
import { Bench } from "./bench/Bench";
import { useDropped } from "./bench/DropChoice";
import { startEdits } from "./bench/edits";
import { bring, filesOf } from "./shelf/bring";
import { Shelf } from "./shelf/Shelf";
import { Table } from "./table/Table";
import { isTyping } from "./ui/focus";
import { Help, useHelp } from "./ui/help";
import { Notices, tell } from "./ui/notices";
import { startRefocus } from "./ui/refocus";
import { startTheme } from "./ui/theme";

// What one answer changes is drawn at once, together with what is changed beside it.
notifyManager.setScheduler(queueMicrotask);
const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 2000, retry: false } } });

function App() {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "?" && !isTyping(event.target)) useHelp.setState(({ open }) => ({ open: !open }));
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <>
      <main className="contents">
        <LostConnection />
        <Renewed />
        <Outlet />
        <DropAnywhere />
        <Notices />
      </main>
      <Help />
    </>
  );
}

/** A page that is older than its service offers to be loaded again; what was changed on it is sent first. */
function Renewed() {
  const renewed = useLive((state) => state.renewed);
  useEffect(() => {
    const reload = () => window.location.reload();
    if (renewed && import.meta.env.MODE === "development") reload();
    else if (renewed)
      tell("Jay Flick was updated. This page is still the old version.", {
        lasting: true,
        action: { label: "Reload", run: reload },
      });
  }, [renewed]);
  return null;
}

function LostConnection() {
  const lost = useLive((state) => state.lost);
  if (!lost) return null;
  return (
    <div
      role="alert"
      className="fixed inset-x-0 top-0 z-50 bg-look-soft py-1 text-center font-medium text-look"
    >
      ▲ The service does not answer. What you change is kept here and sent as soon as it is back.
    </div>
  );
}

/** Files may be dropped anywhere; the page never leaves for a dropped picture. */
function DropAnywhere() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [over, setOver] = useState(false);
  useEffect(() => {
    const carries = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;
    const onOver = (event: DragEvent) => {
      if (!carries(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const onLeave = (event: DragEvent) => {
      if (!event.relatedTarget) setOver(false);
    };
    const onDrop = (event: DragEvent) => {
      if (!carries(event) || !event.dataTransfer) return;
      event.preventDefault();
      setOver(false);
      const onBench = location.pathname.startsWith("/project/");
      void filesOf(event.dataTransfer).then(async (files) => {
        if (onBench && files.length > 0) {
          useDropped.setState({ files });
          return;
        }
        void navigate("/");
        const done = await bring(files, client);
        if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
      });
    };
    window.addEventListener("dragover", onOver);
    window.addEventListener("dragleave", onLeave);
    window.addEventListener("drop", onDrop);
    return () => {
      window.removeEventListener("dragover", onOver);
      window.removeEventListener("dragleave", onLeave);
      window.removeEventListener("drop", onDrop);
    };
  }, [client, navigate]);
  if (!over) return null;
  return (
    <div className="pointer-events-none fixed inset-3 z-40 flex items-center justify-center rounded-[16px] border-4 border-dashed border-jay bg-jay-soft/80">
      <p className="text-2xl font-semibold text-jay-deep">Drop to import</p>
    </div>
  );
}

function Nowhere() {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-2">
      <h1 className="text-xl font-semibold">There is nothing at this address</h1>
      <Link className="font-semibold text-jay-deep hover:underline" to="/">
        Back to the shelf
      </Link>
    </div>
  );
}

const router = createBrowserRouter([
  {
    element: <App />,
    children: [
      { path: "/", element: <Shelf /> },
      { path: "/table", element: <Table /> },
      { path: "/project/:id", element: <Bench /> },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);

startTheme();
startRefocus();
startEdits(queries);
listen(queries);

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Tooltip.Provider delayDuration={350}>
          <RouterProvider router={router} />
        </Tooltip.Provider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
