// A clip that came: where it begins and ends is found frame by frame, and it is thinned, before any of it is taken.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Pause, Play } from "lucide-react";
import { useDeferredValue, useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { useNavigate } from "react-router";
import { api, clipFrameUrl, data, type ClipInfo, type Limits } from "../api/client";
import { count, withEnd } from "../format";
import { Button, IconButton, Mark, NumberField, Row } from "../ui/controls";
import { follow } from "../ui/drag";
import { valueBy } from "../ui/slider";
import { cutClip, useBringing } from "./bring";

const STRIP = 12;

export function Cutting({ importId, clip, others }: { importId: string; clip: ClipInfo; others: number }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const busy = useBringing((state) => state.progress !== null);
  const [at, setAt] = useState(1);
  const [playing, setPlaying] = useState(false);
  const [cut, setCut] = useState({ first: 1, last: clip.count });
  const { first, last } = cut;
  const [step, setStep] = useState(1);
  const limits = useQuery({
    queryKey: ["limits"],
    queryFn: () => data<Limits>(api.GET("/api/limits")),
    staleTime: Infinity,
  });
  const most = limits.data?.most_files ?? Infinity;
  const taken = Math.ceil((last - first + 1) / step);
  const length = ((last - first + 1) / clip.count) * (clip.duration_ms / 1000);
  const seconds = (number: number) => ((number - 1) / clip.count) * (clip.duration_ms / 1000);
  const take = (wish: Parameters<typeof cutClip>[0]) =>
    void cutClip(wish, queries).then((done) => {
      if (done?.projects.length === 1 && done.projects[0]) void navigate(`/project/${done.projects[0].id}`);
    });
  const look = (number: number) => {
    setPlaying(false);
    setAt(Math.min(clip.count, Math.max(1, number)));
  };
  useLoop(playing, importId, clip, { ...cut, step }, setAt);
  const begin = (at: number) => setCut(withEnd(cut, "first", at));
  const end = (at: number) => setCut(withEnd(cut, "last", at));
  const onKey = (event: KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement) return;
    if (event.key === " " && event.target instanceof HTMLButtonElement) return;
    const jump = event.shiftKey ? 10 : 1;
    const keys: Record<string, () => void> = {
      ArrowLeft: () => look(at - jump),
      ArrowRight: () => look(at + jump),
      Home: () => look(1),
      End: () => look(clip.count),
      " ": () => setPlaying(!playing),
      i: () => begin(at),
      o: () => end(at),
    };
    const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    act();
  };
  return (
    <section
      aria-label="Cut the clip"
      className="flex flex-col gap-3 rounded-[12px] border border-jay bg-card px-6 py-4"
      onKeyDown={onKey}
    >
      <div className="flex items-baseline gap-3">
        <h2 className="truncate text-[15px] font-bold">{clip.name}</h2>
        <span className="whitespace-nowrap text-ink-2">
          {clip.width} × {clip.height}, {count(clip.count, "frame")}, {(clip.duration_ms / 1000).toFixed(2)} s
          {clip.rate !== null && ` at ${Number(clip.rate.toFixed(3))} fps`}
        </span>
        <span className="grow" />
        {others > 0 && <span className="text-ink-2">{count(others, "clip")} after this</span>}
      </div>
      <div className="grid grid-cols-[400px_1fr] gap-6">
        <Picture importId={importId} clip={clip} number={at} playing={playing} />
        <div className="flex flex-col gap-2.5">
          <Row label="Frame">
            <IconButton
              tip={playing ? "Pause" : "Play what is taken"}
              keys="Space"
              look="strong"
              onClick={() => setPlaying(!playing)}
            >
              {playing ? <Pause size={14} fill="currentColor" /> : <Play size={14} fill="currentColor" />}
            </IconButton>
            <NumberField label="Frame on show" value={at} min={1} max={clip.count} onCommit={look} />
            <span className="text-ink-2">
              of {clip.count}, at {seconds(at).toFixed(2)} s
            </span>
          </Row>
          {(
            [
              ["From", "First frame taken", first, begin, "Begin here", "I"],
              ["To", "Last frame taken", last, end, "End here", "O"],
            ] as const
          ).map(([row, label, value, set, here, key]) => (
            <Row key={row} label={row}>
              <NumberField
                label={label}
                value={value}
                min={1}
                max={clip.count}
                onCommit={(number) => {
                  set(number);
                  look(number);
                }}
              />
              <Button className="h-[26px]!" title={key} onClick={() => set(at)}>
                {here}
              </Button>
              {row === "To" && <span className="text-ink-2">{length.toFixed(2)} s long</span>}
            </Row>
          ))}
          <Row label="Thin out">
            <span className="text-ink-2">one in</span>
            <NumberField label="One frame in" value={step} min={1} max={1000} onCommit={setStep} />
            {clip.rate !== null && (
              <>
                <span className="text-ink-2">or to about</span>
                <NumberField
                  label="Frames a second"
                  units={{ fps: 1 }}
                  value={Math.max(1, Math.round(clip.rate / step))}
                  min={1}
                  max={Math.max(1, Math.round(clip.rate))}
                  onCommit={(rate) => setStep(Math.max(1, Math.round((clip.rate ?? rate) / rate)))}
                />
                <span className="text-ink-2">fps, exactly {Number((clip.rate / step).toFixed(3))}</span>
              </>
            )}
          </Row>
          <p className="text-xs text-ink-2">
            Space plays what is taken, in a loop. ← → step, with Shift by ten; I begins and O ends it at the
            frame on show.
          </p>
          <div className="mt-auto flex flex-wrap items-center gap-1.5">
            <Button look="strong" disabled={busy || taken > most} onClick={() => take({ first, last, step })}>
              Bring in {count(taken, "frame")}
            </Button>
            <Button disabled={busy} onClick={() => take(null)}>
              Not this clip
            </Button>
            {taken > most && <Mark verdict="stop" word={`up to ${most} at once: take less, or thin out`} />}
          </div>
        </div>
      </div>
      <Filmstrip
        importId={importId}
        clip={clip}
        at={at}
        first={first}
        last={last}
        onLook={look}
        onBegin={begin}
        onEnd={end}
      />
    </section>
  );
}

/** Plays what is taken of a clip over and over at its own pace; a frame that has not come yet is waited for. */
function useLoop(
  playing: boolean,
  importId: string,
  clip: ClipInfo,
  { first, last, step }: { first: number; last: number; step: number },
  show: (number: number) => void,
): void {
  const each = (clip.duration_ms / clip.count) * step;
  useEffect(() => {
    if (!playing) return;
    const numbers = Array.from({ length: Math.floor((last - first) / step) + 1 }, (_, i) => first + i * step);
    const ready = new Map<number, Promise<void>>();
    const ask = (number: number | undefined) => {
      if (number === undefined || ready.has(number)) return;
      const image = new Image();
      image.src = clipFrameUrl(importId, clip.sha256, number);
      ready.set(
        number,
        image.decode().catch(() => undefined),
      );
    };
    const stopped = new AbortController();
    const { signal } = stopped;
    const play = async () => {
      for (let due = performance.now(), at = 0; ; at = (at + 1) % numbers.length) {
        const number = numbers[at] ?? first;
        for (let ahead = 0; ahead < 4; ahead += 1) ask(numbers[(at + ahead) % numbers.length]);
        await ready.get(number);
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, due - performance.now())));
        due = Math.max(due, performance.now()) + each;
        if (signal.aborted) return;
        show(number);
      }
    };
    void play();
    return () => stopped.abort();
  }, [playing, importId, clip.sha256, first, last, step, each, show]);
}

/** The frame on show; while the next one is fetched the last one stays. */
function Picture({
  importId,
  clip,
  number,
  playing,
}: {
  importId: string;
  clip: ClipInfo;
  number: number;
  playing: boolean;
}) {
  const box = useRef<HTMLElement>(null);
  useEffect(() => box.current?.focus({ preventScroll: true }), []);
  const wanted = useDeferredValue(number);
  const [shown, setShown] = useState(number);
  useEffect(() => {
    let over = false;
    // A control that moves asks for many; only where it rests for a moment is one fetched.
    const timer = setTimeout(
      () => {
        const image = new Image();
        image.src = clipFrameUrl(importId, clip.sha256, wanted);
        image
          .decode()
          .then(() => !over && setShown(wanted))
          .catch(() => undefined);
      },
      playing ? 0 : 60,
    );
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, [importId, clip.sha256, wanted, playing]);
  return (
    <figure
      ref={box}
      tabIndex={0}
      aria-label="The clip"
      className="flex h-[225px] items-center justify-center overflow-hidden rounded-[8px] bg-stage"
    >
      <img
        src={clipFrameUrl(importId, clip.sha256, shown)}
        alt={`Frame ${shown} of the clip`}
        className={`max-h-full max-w-full ${shown === number || playing ? "" : "opacity-60"}`}
      />
    </figure>
  );
}

function Filmstrip({
  importId,
  clip,
  at,
  first,
  last,
  onLook,
  onBegin,
  onEnd,
}: {
  importId: string;
  clip: ClipInfo;
  at: number;
  first: number;
  last: number;
  onLook: (number: number) => void;
  onBegin: (number: number) => void;
  onEnd: (number: number) => void;
}) {
  const strip = useRef<HTMLDivElement>(null);
  const numbers = Array.from(
    { length: Math.min(STRIP, clip.count) },
    (_, place, of = Math.min(STRIP, clip.count)) =>
      Math.min(clip.count, Math.floor(((place + 0.5) / of) * clip.count) + 1),
  );
  const share = (number: number) => `${(number / clip.count) * 100}%`;
  const numberAt = (event: { clientX: number }) => {
    const box = strip.current?.getBoundingClientRect();
    if (!box) return 1;
    return Math.min(clip.count, Math.max(1, Math.ceil(((event.clientX - box.left) / box.width) * clip.count)));
  };
  const drag = (set: (number: number) => void, before: number) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    event.currentTarget.focus();
    const move = (at: { clientX: number }) => {
      set(numberAt(at));
      onLook(numberAt(at));
    };
    move(event);
    follow(event, move, (calledOff) => {
      if (calledOff) set(before);
    });
  };
  const ends = [
    { name: "Clip begins", value: first, place: share(first - 1), set: onBegin },
    { name: "Clip ends", value: last, place: share(last), set: onEnd },
  ];
  return (
    <div
      ref={strip}
      className="relative h-[52px] touch-none select-none"
      onPointerDown={drag(() => undefined, 1)}
    >
      <div className="flex h-full overflow-hidden rounded-[6px] bg-stage">
        {numbers.map((number) => (
          <img
            key={number}
            src={clipFrameUrl(importId, clip.sha256, number)}
            alt=""
            draggable={false}
            className="h-full min-w-0 flex-1 object-cover"
          />
        ))}
      </div>
      <span
        className="absolute inset-y-0 left-0 rounded-l-[6px] bg-card/75"
        style={{ width: share(first - 1) }}
      />
      <span className="absolute inset-y-0 right-0 rounded-r-[6px] bg-card/75" style={{ left: share(last) }} />
      <span
        className="pointer-events-none absolute inset-y-[-3px] w-[2px] bg-ink"
        style={{ left: share(at - 0.5) }}
      />
      {ends.map(({ name, value, place, set }, index) => (
        <span
          key={name}
          role="slider"
          tabIndex={0}
          aria-label={name}
          aria-valuemin={1}
          aria-valuemax={clip.count}
          aria-valuenow={value}
          className={`absolute inset-y-[-3px] w-[11px] cursor-ew-resize rounded-[3px] border border-on-strong bg-jay ${index === 0 ? "" : "-translate-x-full"}`}
          style={{ left: place }}
          onPointerDown={drag(set, value)}
          onKeyDown={(event) => {
            const next = valueBy(event.key, { value, min: 1, max: clip.count, step: 1, page: 10 });
            if (next === null) return;
            event.preventDefault();
            event.stopPropagation();
            set(next);
            onLook(next);
          }}
        />
      ))}
    </div>
  );
}
