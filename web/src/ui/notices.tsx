// Short messages that lie above the page and go by themselves, unless they say that something failed.

import { useEffect, useRef } from "react";
import { create } from "zustand";
import { ApiError } from "../api/client";
import { sentence } from "../format";
import { Button } from "./controls";

interface Notice {
  id: number;
  text: string;
  bad: boolean;
  action?: { label: string; run: () => void };
}

/** How long a message stays, in ms, and how often it is asked whether it may go after that. */
const STAYS = 8000;
const ASKED = 2000;

const useNotices = create<{ notices: Notice[] }>(() => ({ notices: [] }));
let last = 0;

export function dismiss(id: number): void {
  useNotices.setState(({ notices }) => ({ notices: notices.filter((notice) => notice.id !== id) }));
}

export function tell(
  text: string,
  options: { bad?: boolean; lasting?: boolean; action?: Notice["action"] } = {},
): void {
  last += 1;
  const id = last;
  const notice = { id, text, bad: options.bad ?? false, action: options.action };
  useNotices.setState(({ notices }) => ({ notices: [...notices.slice(-2), notice] }));
  if (notice.bad || options.lasting) return;
  const before = document.activeElement;
  const go = () => {
    if (notice.action && isWaitedFor(before)) setTimeout(go, ASKED);
    else dismiss(id);
  };
  setTimeout(go, STAYS);
}

/** Whether somebody is at a message, or still where they were before it came, on the way to it. */
function isWaitedFor(before: Element | null): boolean {
  const { activeElement } = document;
  const region = document.querySelector("[data-notices]");
  if (region?.matches(":hover") || region?.contains(activeElement)) return true;
  return activeElement !== document.body && activeElement === before;
}

export function tellError(error: unknown): void {
  const text = error instanceof Error ? error.message : String(error);
  // A file keeps its name as it is.
  const named = error instanceof ApiError && error.problem.file !== null;
  tell(named ? text : sentence(text), { bad: true });
}

export function Notices() {
  // One at a time, so that nothing but the page's head is covered; what failed is still there after it.
  const notices = useNotices((state) => state.notices).slice(-1);
  const region = useRef<HTMLDivElement>(null);
  const before = useRef<Element | null>(null);
  const back = () => {
    if (before.current instanceof HTMLElement && before.current.isConnected) before.current.focus();
  };
  useEffect(() => {
    // As F6 leads to the panel and back.
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "F8" || event.ctrlKey || event.altKey || event.metaKey) return;
      event.preventDefault();
      if (region.current?.contains(document.activeElement)) back();
      else region.current?.querySelector("button")?.focus();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <div
      ref={region}
      data-notices
      onFocus={({ relatedTarget }) => {
        if (!region.current?.contains(relatedTarget)) before.current = relatedTarget;
      }}
      role="status"
      aria-live="polite"
      className="fixed top-3 left-1/2 z-50 flex w-[560px] -translate-x-1/2 flex-col gap-2"
    >
      {notices.map((notice) => (
        <div
          key={notice.id}
          className={`flex items-start gap-3 rounded-[10px] border bg-card px-3 py-2 shadow-lg ${notice.bad ? "border-stop" : "border-line"}`}
        >
          <span aria-hidden className={notice.bad ? "text-stop" : "text-fine"}>
            {notice.bad ? "■" : "✓"}
          </span>
          <span className="min-w-0 grow pt-px wrap-anywhere">{notice.text}</span>
          {notice.action && (
            <button
              type="button"
              className="font-semibold text-jay-deep hover:underline"
              onClick={() => {
                back();
                notice.action?.run();
                dismiss(notice.id);
              }}
            >
              {notice.action.label}
            </button>
          )}
          <Button
            look="quiet"
            className="h-5! px-1.5!"
            aria-label="Dismiss"
            onClick={() => {
              back();
              dismiss(notice.id);
            }}
          >
            ×
          </Button>
        </div>
      ))}
    </div>
  );
}
