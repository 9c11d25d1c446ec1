// The real file in the place it is for.

import { ExternalLink } from "lucide-react";
import type { ReactNode } from "react";
import { fileUrl, type ResultInfo, type StandInInfo } from "../../api/client";
import { ago } from "../../format";
import { Segmented } from "../../ui/controls";
import { useRoom } from "../../ui/useRoom";
import { viewOf } from "../formats/table";
import { pageColour } from "../framing";
import type { PanelProps } from "../panels/panel";
import { SceneStage } from "../scene/SceneStage";
import { isGone, lastTo, placesFor, useProof, useStandIns, type Where } from "./proof";
import { usePage, type Paper } from "./page";

export function ProofStage({ panel }: { panel: PanelProps }) {
  const { bench, result, behind } = panel;
  const { output } = bench;
  const standIns = useStandIns();
  const places = placesFor(output, standIns);
  const wanted = useProof((state) => state.where);
  const where = wanted && places.includes(wanted) ? wanted : places[0];
  const titleOf = (one: Where) =>
    one === "page"
      ? "Page"
      : one === "scene"
        ? "Scene"
        : (standIns.find(({ name }) => name === one)?.title ?? one);
  const choose = (
    <div className="rounded-[8px] bg-card p-0.5">
      <Segmented
        dark
        label="Where the file is"
        value={where ?? ""}
        choices={places.map((value) => ({ value: value, label: titleOf(value) }))}
        onChange={(next) => useProof.setState({ where: next as Where })}
      />
    </div>
  );
  if (where === "scene")
    return (
      <div className="relative grid min-h-0">
        <SceneStage result={result} output={output} behind={behind} />
        <div className="absolute top-3 left-3">{choose}</div>
      </div>
    );
  const standIn = standIns.find(({ name }) => name === where);
  return (
    <section
      aria-label="Proof"
      className="relative flex min-h-0 flex-col overflow-hidden rounded-[12px] bg-stage"
    >
      <div tabIndex={0} role="group" aria-label="The file in its place" className="min-h-0 grow overflow-auto">
        {where === "page" && result ? (
          <Pages panel={panel} result={result} />
        ) : standIn ? (
          <Device standIn={standIn} />
        ) : (
          <Empty>
            {places.length === 0
              ? "The stand-ins were left out: start without --no-standins to prove this file."
              : "There is no file yet."}
          </Empty>
        )}
      </div>
      <div className="flex items-center gap-2 p-3 pt-2">
        {choose}
        {where === "page" && <PageSettings />}
        {standIn && <Sent panel={panel} standIn={standIn} />}
        {behind && where === "page" && <Chip>file from before the last change</Chip>}
      </div>
    </section>
  );
}

function Empty({ children }: { children: ReactNode }) {
  return (
    <div className="flex h-full items-center justify-center">
      <p className="rounded-[8px] bg-card px-4 py-2">{children}</p>
    </div>
  );
}

function Chip({ children }: { children: ReactNode }) {
  return (
    <span className="rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
      {children}
    </span>
  );
}

function Device({ standIn }: { standIn: StandInInfo }) {
  if (standIn.state !== "ready")
    return (
      <Empty>
        {standIn.title}: {standIn.state === "starting" ? "starting…" : "does not answer."}
      </Empty>
    );
  return <iframe title={standIn.title} src={`${standIn.url}/?bare`} className="block size-full border-0" />;
}

/** Whether what is on a stand-in is the file as it is now. */
function Sent({ panel, standIn }: { panel: PanelProps; standIn: StandInInfo }) {
  const { bench, result, behind } = panel;
  const last = lastTo(bench.project, bench.output, standIn.name);
  const sending = last?.state === "sending";
  const taken = last && !isGone(standIn, last) && (last.state === "taken" || last.state === "changed");
  const stale = taken && (behind || last.content !== result?.content);
  return (
    <>
      <Chip>
        {sending
          ? "being sent"
          : !taken
            ? "not sent there yet"
            : stale
              ? "there: a version from before the last change"
              : `sent ${ago(last.created, Date.now())}`}
      </Chip>
      <a
        href={standIn.url}
        target="_blank"
        rel="noreferrer"
        className="inline-flex h-[30px] items-center gap-1.5 rounded-[8px] bg-card px-2.5 font-medium text-ink-2 hover:text-ink"
      >
        <ExternalLink size={14} /> By itself
      </a>
    </>
  );
}

const WIDTHS = ["320", "600", "960"] as const;
const PAPERS: readonly { value: Paper; label: string }[] = [
  { value: "light", label: "light" },
  { value: "dark", label: "dark" },
  { value: "matte", label: "page colour" },
  { value: "text", label: "among text" },
  { value: "all", label: "all at once" },
];

function PageSettings() {
  const { width, paper } = usePage();
  return (
    <>
      <div className="rounded-[8px] bg-card p-0.5">
        <Segmented
          dark
          label="Page width"
          value={width}
          choices={WIDTHS.map((value) => ({ value, label: `${value} px` }))}
          onChange={(next) => usePage.setState({ width: next })}
        />
      </div>
      <div className="rounded-[8px] bg-card p-0.5">
        <Segmented
          dark
          label="Page"
          value={paper}
          choices={PAPERS}
          onChange={(next) => usePage.setState({ paper: next })}
        />
      </div>
    </>
  );
}

function Pages({ panel, result }: { panel: PanelProps; result: ResultInfo }) {
  const { width, paper } = usePage();
  const { output } = panel.bench;
  const clip = viewOf(output).player(output) === "clip";
  const file = <File result={result} clip={clip} />;
  const matte = pageColour(output);
  const one = (which: Exclude<Paper, "all">) => (
    <div
      key={which}
      aria-label={`Page, ${which}`}
      className="mx-auto shrink-0 overflow-hidden"
      style={{ width: `min(${width}px, 100%)`, ...LOOKS[which](matte) }}
    >
      {which === "text" ? <Article>{file}</Article> : <div className="flex justify-center py-6">{file}</div>}
    </div>
  );
  if (paper !== "all") return <div className="flex min-h-full flex-col justify-center p-3">{one(paper)}</div>;
  return (
    <div className="grid min-h-full grid-cols-3 content-center gap-3 p-3">
      {(["light", "dark", "matte"] as const).map(one)}
    </div>
  );
}

const LOOKS: Record<Exclude<Paper, "all">, (matte: string) => React.CSSProperties> = {
  light: () => ({ background: "#ffffff", color: "#1c2530" }),
  dark: () => ({ background: "#16191d", color: "#e8e6e1" }),
  matte: (matte) => ({ background: matte, color: "#1c2530" }),
  text: () => ({ background: "#fbfaf7", color: "#22262b" }),
};

/** Some of the ferry line's own news, for a file to stand in. */
function Article({ children }: { children: ReactNode }) {
  return (
    <article className="flex flex-col gap-2.5 px-5 py-4 text-[15px] leading-relaxed">
      <h2 className="text-[20px] leading-tight font-bold">The last ferry waits for the terns</h2>
      <p>
        From this week the 21:40 leaves four minutes later. The terns have moved in under the pier, and the mate
        will not sound the horn before they have settled.
      </p>
      <figure className="flex flex-col items-center gap-1">
        {children}
        <figcaption className="text-[13px] opacity-75">Seen from the upper deck on Tuesday.</figcaption>
      </figure>
      <p>Bicycles go forward, kites stay on board, and the tea urn is mended at last.</p>
    </article>
  );
}

function File({ result, clip }: { result: ResultInfo; clip: boolean }) {
  const { width, height } = result.info;
  const src = fileUrl(result);
  const [box, room] = useRoom();
  const percent = room.width > 0 ? Math.floor((100 * Math.min(room.width, width)) / width) : 100;
  return (
    <div ref={box} className="flex w-full flex-col items-center gap-1">
      {clip ? (
        <video
          src={src}
          width={width}
          height={height}
          autoPlay
          loop
          muted
          playsInline
          className="h-auto max-w-full"
        />
      ) : (
        <img src={src} width={width} height={height} alt="The file" className="h-auto max-w-full" />
      )}
      {percent < 100 && <Chip>the page shows it at {percent} %</Chip>}
    </div>
  );
}
