// What the pages of all stand-ins share.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { ApiError } from "../api/client";
import { Button } from "../ui/controls";
import { Notices, tellError } from "../ui/notices";
import { bare, type Status } from "./api";

/** The frame of a page: what stands here, and whether it answers. */
export function Frame({ status, lost, children }: { status: Status; lost: boolean; children: ReactNode }) {
  return (
    <div className={`mx-auto flex max-w-[1320px] flex-col gap-3 ${bare ? "p-2" : "px-6 pt-4 pb-8"}`}>
      {!bare && (
        <header className="flex items-baseline gap-3">
          <h1 aria-label={status.title} className="text-[19px] font-bold">
            {status.kind === "graphics" ? <Flaps text={status.title} /> : status.title}
          </h1>
          <span className="text-ink-2">{status.note}</span>
          <span className="grow" />
          <span className="text-ink-3">Saltmarsh Ferry, a stand-in: nothing leaves this machine</span>
        </header>
      )}
      {lost && (
        <p role="alert" className="rounded-[8px] bg-look-soft px-3 py-1.5 font-medium text-look">
          ▲ It does not answer. It is started again by itself; what it held is gone then.
        </p>
      )}
      <main className="flex flex-col gap-3">{children}</main>
      <Notices />
    </div>
  );
}

/** A word on the flaps of a departure board. */
function Flaps({ text }: { text: string }) {
  return (
    <span aria-hidden className="figure flex gap-[3px] text-[17px] uppercase">
      {Array.from(text, (letter, index) => (
        <span
          key={index}
          className="inline-flex h-[30px] w-[22px] items-center justify-center rounded-[3px] border border-line bg-[linear-gradient(#1f272d_0_49%,#05080a_49%_51%,#171e24_51%)]"
        >
          {letter}
        </span>
      ))}
    </span>
  );
}

/** A moving picture that the stand-in sends. */
/** Pictures a second on a monitor where motion is to be reduced. */
const CALM = 2;

export function Monitor({ src, label, lit = false }: { src: string; label: string; lit?: boolean }) {
  const [calm] = useState(() => matchMedia("(prefers-reduced-motion: reduce)").matches);
  return (
    <figure
      className={`self-start overflow-hidden rounded-[10px] border-[3px] ${lit ? "border-stop" : "border-line"} bg-black`}
    >
      <img src={calm ? `${src}?rate=${CALM}` : src} alt={label} className="aspect-video w-full" />
      <figcaption className="truncate bg-card px-2.5 py-1 text-xs font-semibold" title={label}>
        {lit && (
          <span aria-hidden className="mr-1.5 text-[9px] text-stop">
            ■
          </span>
        )}
        {label}
        {calm && <span className="ml-1.5 font-normal text-ink-2">at {CALM} fps</span>}
      </figcaption>
    </figure>
  );
}

export function Group({
  title,
  onRemove,
  children,
}: {
  title: string;
  onRemove?: () => void;
  children: ReactNode;
}) {
  return (
    <section
      aria-label={title}
      className="flex flex-col gap-2 rounded-[10px] border border-line bg-card px-3 py-2.5"
    >
      <div className="flex items-center justify-between gap-2">
        <h2 className="min-w-0 truncate font-semibold">{title}</h2>
        {onRemove && (
          <Button look="quiet" className="h-[24px]! px-2!" onClick={onRemove}>
            Remove
          </Button>
        )}
      </div>
      {children}
    </section>
  );
}

/** What a stand-in says of itself now, and a way to make it do something. */
export interface Device<T> {
  now: T | undefined;
  lost: boolean;
  act: (action: () => Promise<T>) => Promise<void>;
}

/** A document that is asked for again and again, and set by what an action answers. */
export function useDevice<T>(key: string, ask: () => Promise<T>): Device<T> {
  const queries = useQueryClient();
  const query = useQuery({ queryKey: [key], queryFn: ask, refetchInterval: 500 });
  const act = async (action: () => Promise<T>) => {
    try {
      queries.setQueryData([key], await action());
    } catch (error) {
      tellError(error);
    }
  };
  const lost = query.error instanceof ApiError;
  return { now: query.data, lost, act };
}
