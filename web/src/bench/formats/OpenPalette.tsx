// The palette opened: its colours with their share, lit on the stage, locked, merged, dropped; brought and taken away.

import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type ReactNode } from "react";
import { api, data, type ResultInfo, type TrialInfo } from "../../api/client";
import { size } from "../../format";
import { Button, Select } from "../../ui/controls";
import { tellError } from "../../ui/notices";
import type { Bench } from "../edits";
import { usePick } from "../pick";
import { adopt, inUse, isUnderWay, madeBy, newest, useSearching, useTrials } from "../trials";
import { useView } from "../view";
import type { Of } from "./format";
import { asList, merged, sorted, without, type Sort, type Swatch } from "./swatches";

const SORTS = [
  { value: "use", label: "by use" },
  { value: "lightness", label: "by lightness" },
  { value: "hue", label: "by hue" },
] as const;
/** Swatches in a row. */
const ROW = 16;

type Tuning = Of<"gif">["tuning"];

interface Props {
  bench: Bench;
  output: Of<"gif">;
  result: ResultInfo;
  set: (change: Partial<Tuning>, label: string) => void;
}

type Closed = Omit<Props, "result"> & {
  /** None where it is from before the last change: what is open stays, with what was counted. */
  result: ResultInfo | undefined;
  /** The palette at a glance. */
  strip: ReactNode;
};

const share = (part: number) =>
  part >= 0.001 ? `${(100 * part).toFixed(part >= 0.1 ? 0 : 1)} %` : part > 0 ? "under 0.1 %" : "unused";

export function OpenPalette({ strip, result, ...props }: Closed) {
  const [open, setOpen] = useState(false);
  const kept = useRef(result);
  kept.current = result ?? kept.current;
  return (
    <details open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary
        aria-label="Open the palette"
        title="Edit its colours: lock, merge, drop"
        className="flex items-center gap-2"
      >
        <span aria-hidden className={`text-[10px] text-ink-2 ${open ? "rotate-90" : ""}`}>
          ▶
        </span>
        <span className="min-w-0 grow">{strip}</span>
      </summary>
      {open && kept.current && (
        <div className={result ? "" : "pointer-events-none opacity-60"} inert={!result}>
          <Opened {...props} result={kept.current} />
        </div>
      )}
    </details>
  );
}

function Opened({ bench, output, result, set }: Props) {
  const { tuning } = output;
  const query = useQuery({
    queryKey: ["swatches", result.pixels],
    queryFn: ({ signal }) =>
      data<Swatch[]>(
        api.GET("/api/results/{result_id}/swatches", {
          params: { path: { result_id: result.id } },
          signal,
        }),
      ),
    retry: false,
    staleTime: Infinity,
  });
  const [by, setBy] = useState<Sort>("use");
  const [chosen, setChosen] = useState<string | null>(null);
  const [pointed, setPointed] = useState<string | null>(null);
  /** A colour that is to become one with the next that is chosen. */
  const [merging, setMerging] = useState<string | null>(null);
  /** What would become of the palette, and in what words. */
  const [asked, setAsked] = useState<Asked | null>(null);
  const list = useRef<HTMLUListElement>(null);
  const swatches = useMemo(() => sorted(query.data ?? [], by), [query.data, by]);
  const found = swatches.find(({ colour }) => colour === chosen);
  const lit = pointed ?? found?.colour ?? null;
  useEffect(() => useView.setState({ lit }), [lit]);
  useEffect(() => () => useView.setState({ lit: null }), []);
  // A click on the picture finds its swatch.
  useEffect(() => {
    const taker = (colour: string) => {
      setChosen(colour);
      list.current?.querySelector<HTMLElement>(`[data-colour="${colour}"]`)?.focus();
    };
    const stay = () => usePick.setState({ taker });
    stay();
    const stop = usePick.subscribe((state) => {
      if (state.taker === null) stay();
    });
    return () => {
      stop();
      usePick.setState({ taker: null });
    };
  }, []);
  if (query.isError) return <p className="mt-1 text-xs text-stop">■ {query.error.message}</p>;
  if (!query.data) return <p className="mt-1 text-xs text-ink-2">Counting…</p>;
  const several = tuning.palette !== "shared";
  const one = (colours: string[]): Partial<Tuning> => ({
    palette: "shared",
    colours: Math.max(2, colours.length),
    locked: colours,
  });
  const choose = (colour: string) => {
    if (merging !== null && merging !== colour) {
      const into = merged(query.data, merging, colour);
      setAsked({ tuning: one(into), words: `Merge ${merging} and ${colour}` });
      setMerging(null);
    }
    setChosen(colour);
  };
  const move = (event: KeyboardEvent) => {
    const at = swatches.findIndex(({ colour }) => colour === chosen);
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -ROW, ArrowDown: ROW }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    const next = swatches[Math.min(swatches.length - 1, Math.max(0, at + by))];
    if (!next) return;
    setChosen(next.colour);
    list.current?.querySelector<HTMLElement>(`[data-colour="${next.colour}"]`)?.focus();
  };
  const isLocked = found !== undefined && tuning.locked.includes(found.colour);
  const bring = async (file: File) => {
    const colours = await data<string[]>(
      api.POST("/api/palettes", {
        params: { query: { name: file.name, most: Math.min(255, Math.max(2, tuning.colours)) } },
        body: "",
        bodySerializer: () => file,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    );
    set(one(colours), `Palette from ${file.name}`);
  };
  return (
    <div className="mt-1.5 flex flex-col gap-1.5">
      <ul
        ref={list}
        role="listbox"
        aria-label="Colours of the palette"
        className="grid grid-cols-16 gap-px overflow-hidden rounded-[6px] border border-line bg-line"
        onKeyDown={move}
        onPointerLeave={() => setPointed(null)}
      >
        {swatches.map(({ colour, share: part }, at) => (
          <li
            key={colour}
            role="option"
            data-colour={colour}
            aria-label={`${colour}, ${share(part)}${tuning.locked.includes(colour) ? ", locked" : ""}`}
            aria-selected={colour === chosen}
            tabIndex={colour === chosen || (!found && at === 0) ? 0 : -1}
            onPointerEnter={() => setPointed(colour)}
            onClick={() => choose(colour)}
            onKeyUp={(event) => event.key === "Enter" && choose(colour)}
            className={`grid h-[14px] cursor-pointer place-items-center ${colour === chosen ? "relative z-10 outline-2 outline-jay" : ""}`}
            style={{ background: colour }}
          >
            {tuning.locked.includes(colour) && (
              <span className="size-[4px] rounded-full bg-white shadow-[0_0_0_1px_#000]" />
            )}
          </li>
        ))}
      </ul>
      <div className="flex min-h-[26px] items-center justify-between gap-1.5 text-xs">
        {found ? (
          <>
            <span className="figure whitespace-nowrap">
              <span
                className="mr-1.5 inline-block size-3 rounded-[3px] border border-line align-[-2px]"
                style={{ background: found.colour }}
              />
              {found.colour} {share(found.share)}
            </span>
            <span className="flex gap-1">
              <Button
                className="h-[24px]! px-1.5!"
                onClick={() =>
                  set(
                    {
                      locked: isLocked
                        ? tuning.locked.filter((colour) => colour !== found.colour)
                        : [...tuning.locked, found.colour],
                    },
                    isLocked ? `Not locked: ${found.colour}` : `Locked: ${found.colour}`,
                  )
                }
              >
                {isLocked ? "Unlock" : "Lock"}
              </Button>
              {!several && (
                <>
                  <Button
                    className="h-[24px]! px-1.5!"
                    aria-pressed={merging === found.colour}
                    disabled={swatches.length < 3}
                    title="Then pick the other colour"
                    onClick={() => setMerging(merging === found.colour ? null : found.colour)}
                  >
                    {merging === found.colour ? "with…" : "Merge"}
                  </Button>
                  <Button
                    className="h-[24px]! px-1.5!"
                    disabled={swatches.length < 3}
                    title="The cost is shown before anything changes"
                    onClick={() =>
                      setAsked({
                        tuning: one(without(query.data, found.colour)),
                        words: `Drop ${found.colour}`,
                      })
                    }
                  >
                    Drop
                  </Button>
                </>
              )}
            </span>
          </>
        ) : (
          <span className="text-ink-2">Pick a colour here, or a pixel on the stage</span>
        )}
      </div>
      {asked && (
        <Tried
          key={asked.words}
          bench={bench}
          output={output}
          result={result}
          asked={asked}
          done={() => setAsked(null)}
        />
      )}
      <div className="flex items-center gap-1.5 text-xs">
        <Select label="Order of the colours" value={by} choices={SORTS} onChange={setBy} />
        <span className="grow" />
        <label className="inline-flex h-[24px] cursor-pointer items-center rounded-[7px] border border-line bg-card px-1.5 font-medium focus-within:outline-2 focus-within:outline-jay hover:border-ink-3">
          Import
          <input
            type="file"
            accept=".txt,.hex,text/plain,image/*"
            aria-label="Import a palette from a picture or a list of colours"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = "";
              if (file) bring(file).catch(tellError);
            }}
          />
        </label>
        <a
          href={`data:text/plain;charset=utf-8,${encodeURIComponent(asList(query.data))}`}
          download={`${output.file_name.replace(/\.[^.]*$/, "")}.hex.txt`}
          className="inline-flex h-[24px] items-center rounded-[7px] border border-line bg-card px-1.5 font-medium hover:border-ink-3"
        >
          Export
        </a>
      </div>
    </div>
  );
}

interface Asked {
  tuning: Partial<Tuning>;
  words: string;
}

/** What a change of the palette would bring: made for real, and told before it is taken. */
function Tried({
  bench,
  output,
  result,
  asked,
  done,
}: {
  bench: Bench;
  output: Of<"gif">;
  result: ResultInfo;
  asked: Asked;
  done: () => void;
}) {
  const known = useTrials(bench);
  const { begin } = useSearching(bench);
  const search = newest(known, "one");
  const [before] = useState(search?.id ?? 0);
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    begin("one", { as_set: { ...output, tuning: { ...output.tuning, ...asked.tuning } } });
  }, [begin, output, asked]);
  const mine = search && search.id > before ? search : undefined;
  const [made] = mine ? madeBy(mine, known.trials) : [];
  const now = inUse(known.trials, result.pixels);
  return (
    <div
      role="group"
      aria-label={asked.words}
      className="flex items-center justify-between gap-2 rounded-[7px] bg-well px-2 py-1.5 text-xs"
    >
      <span role="status" aria-label="What it brings" className="min-w-0">
        {mine?.state === "failed" ? (
          <span className="text-stop">■ {mine.error?.message}</span>
        ) : !made || !mine || isUnderWay(mine) ? (
          `${asked.words}: trying…`
        ) : (
          `${asked.words}: ${difference(made, now)}`
        )}
      </span>
      <span className="flex gap-1">
        {made && (
          <Button
            className="h-[24px]! px-1.5!"
            onClick={() => {
              adopt(bench, made, asked.words);
              done();
            }}
          >
            Apply
          </Button>
        )}
        <Button look="quiet" className="h-[24px]! px-1.5!" onClick={done}>
          Discard
        </Button>
      </span>
    </div>
  );
}

/** How a trial differs from the one in use, in bytes and likeness. */
function difference(made: TrialInfo, now: TrialInfo | undefined): string {
  if (!now) return size(made.bytes);
  const bytes = made.bytes - now.bytes;
  const far = `${bytes < 0 ? "−" : "+"}${(Math.abs(bytes) / 1024).toFixed(1)} KB`;
  if (made.error === null || now.error === null) return far;
  const off = now.error - made.error;
  return `${far}, SSIM ${off < 0 ? "−" : "+"}${Math.abs(off).toFixed(4)}`;
}
