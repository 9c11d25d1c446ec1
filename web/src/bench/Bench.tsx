// One project: docket above, stage and the chosen part's controls between, the rhythm strip below.

import { PanelRight, Redo2, SlidersHorizontal, Undo2 } from "lucide-react";
import { Tabs } from "radix-ui";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, ApiError, data } from "../api/client";
import { jobKey, useLive } from "../api/live";
import { count, size } from "../format";
import { nextSpeed, show, step, toggle, turnRound, usePlayhead } from "../player/playhead";
import { ThemeButton } from "../ui/ThemeButton";
import { IconButton, Mark, TextField } from "../ui/controls";
import { isTyping, takesKey } from "../ui/focus";
import { useHelp } from "../ui/help";
import { tell, tellError } from "../ui/notices";
import { useCompare } from "./between";
import { CompareStage } from "./CompareStage";
import { Contact } from "./Contact";
import { useContact } from "./contact";
import { usePanel, usePanelOpen } from "./controls";
import { useCrop } from "./crop";
import { CropStage } from "./CropStage";
import { Docket } from "./Docket";
import { DropChoice } from "./DropChoice";
import { takeUnsent, underWay, useBench, useEdits, type Bench as BenchParts } from "./edits";
import { useFlight } from "./flight";
import { FlightStage } from "./FlightStage";
import { useOpenMarks } from "./broadcast";
import { viewOf } from "./formats/table";
import { PlaceOverlay } from "./PlaceOverlay";
import { recall, useMemory } from "./memory";
import { useChosenOutput } from "./outputs";
import { statusOf } from "./status";
import { Stubs } from "./Stubs";
import { TakeSettings, useTaking } from "./TakeSettings";
import { useLineUp } from "./lineUp";
import { LineUpStage } from "./LineUpStage";
import { FramingPanel, useFramingPart } from "./panels/framing/Framing";
import { GatherPanel } from "./panels/Gather";
import { HandOffPanel } from "./panels/HandOff";
import { OpenMarks } from "./OpenMarks";
import { ProofStage } from "./proof/ProofStage";
import { useProof } from "./proof/proof";
import { SceneStage } from "./scene/SceneStage";
import { useLayout, useLook } from "./sheet/layout";
import { SheetStage } from "./sheet/SheetStage";
import { RhythmPanel, useRhythmPart } from "./panels/rhythm/Rhythm";
import { TuningPanel } from "./panels/Tuning";
import { moved } from "./order";
import { placesOf, setEnd } from "./range";
import {
  chosenPlaces,
  copyDelays,
  leaveOut,
  nudge,
  pasteDelays,
  reorder,
  select,
  selectAll,
  selectNone,
  shownResult,
  useSelection,
} from "./selection";
import { usePlan } from "./panels/rhythm/usePlan";
import { zoomStrip } from "./strip/scale";
import { toggleTrials, useTrialLook } from "./trial/look";
import { TrialsStage } from "./trial/TrialsStage";
import { mayChange, useFitting } from "./trials";
import { Stage } from "./Stage";
import { StillStrip } from "./strip/StillStrip";
import { Strip } from "./strip/Strip";
import { useShown } from "./useShown";
import { useWatching } from "./useSoFar";
import { useSource } from "./source";
import { useViews } from "./views";
import { ViewsStage } from "./ViewsStage";
import { nextBackdrop, nextReach, nextZoom, setView, toggleLoupe, toggleNeighbours, VIEWS } from "./view";
import { PARTS, PART_NAMES, partStatuses, type Part } from "./verdicts";

export function Bench() {
  const { id = "" } = useParams();
  const [outputId, choose] = useChosenOutput();
  const { bench, error } = useBench(id, outputId);
  if (error && !bench) {
    const gone = error instanceof ApiError && error.status === 404;
    return (
      <div className="flex h-full flex-col items-center justify-center gap-2">
        <h1 className="text-xl font-semibold">
          {gone ? "This project is not here" : "The project cannot be shown"}
        </h1>
        <p className="text-ink-2">{error.message}</p>
        <Link className="font-semibold text-jay-deep hover:underline" to="/">
          Back to the shelf
        </Link>
      </div>
    );
  }
  if (!bench) return <p className="flex h-full items-center justify-center text-ink-2">Opening…</p>;
  return <OpenBench key={id} bench={bench} choose={choose} />;
}

function OpenBench({ bench, choose }: { bench: BenchParts; choose: (id: string) => void }) {
  const { project, recipe, output } = bench;
  useFitting(bench);
  const contact = useContact((state) => state.open);
  const cropping = useCrop((state) => state.open);
  const comparing = useCompare((state) => state.open);
  const timed = useRhythmPart((state) => state.part);
  const flying = useFlight((state) => state.open);
  const cutting = useViews((state) => state.open);
  const framed = useFramingPart((state) => state.part);
  const liningUp = useLineUp(({ look, box }) => look !== "result" || box !== null);
  const result = project.results.find((one) => one.output_id === output.id);
  const { shown, error } = useShown(result, viewOf(output).player(output));
  const look = useLook((state) => state.look);
  const judging = useTrialLook((state) => state.open);
  const proving = useProof((state) => state.open);
  const hatched = useOpenMarks((state) => state.on);
  const laid = useLayout(bench, result?.id);
  const live = useLive((state) => state.jobs[jobKey(project.id, output.id)]);
  const unsaved = useEdits(({ waiting }) => waiting.some((edit) => edit.project === project.id));
  const behind = unsaved || result?.revision_id !== project.revision.id;
  const job = useMemo(() => {
    const known = project.jobs.find((one) => one.output_id === output.id);
    return live && known && live.id === known.id ? live : known;
  }, [live, project.jobs, output.id]);
  const busy = behind && (unsaved || job === undefined || job.state === "queued" || job.state === "running");
  const failed = job?.state === "failed" || job?.state === "cancelled";
  const growing = useWatching(
    output.id,
    job,
    failed || output.format !== "gif" || (!behind && shown?.result.id === result.id),
  );
  // Those of an older job are not the output as it is now either.
  const coding = growing !== null && growing.job === job?.id;
  const outputs = recipe.outputs.map((one) => statusOf(project, one, unsaved));
  // A sheet that its frames run off is no file; while there is no older one, what plays can be told all the same.
  const runsOff = output.format === "sheet" && !result && !unsaved && job?.state === "failed";
  const plan = usePlan(bench, runsOff ? recipe : null, true);
  const source = useSource(project);
  const cells = partStatuses(
    project,
    recipe,
    output,
    result,
    unsaved ? undefined : job,
    behind,
    outputs,
    plan,
    source,
  );
  // It opens where it was left, or on the first part that asks for a look.
  const [part, choosePart] = useState<Part>(
    () =>
      recall(project.id)?.part ??
      PARTS.find((one) => ["look", "stop"].includes(cells[one].verdict)) ??
      "tuning",
  );
  const setPart = useCallback((next: Part) => {
    usePanelOpen.setState({ open: true });
    choosePart(next);
  }, []);
  useMemory(project.id, part, shown);
  useUnsent(bench);

  useEffect(() => {
    document.title = `${project.name} – Jay Flick`;
  }, [project.name]);
  useKeys(bench, setPart, choose);

  const cancel = () => {
    if (job)
      data(api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: job.id } } })).catch(tellError);
  };
  const retry = () => {
    data(api.POST("/api/projects/{project_id}/retry", { params: { path: { project_id: project.id } } })).catch(
      tellError,
    );
  };
  const { controls, open } = usePanel();
  const stage = { bench, shown, growing, coding, error, behind, busy, job, onCancel: cancel, onRetry: retry };
  const panel = { bench, result, shown, behind, busy, job, coding, cancel, retry, outputs, choose };

  return (
    <Tabs.Root
      value={part}
      onValueChange={(next) => setPart(next as Part)}
      activationMode="automatic"
      className="relative mx-auto grid h-full max-h-[1200px] min-h-[640px] max-w-[2000px] min-w-[820px] grid-cols-[minmax(0,1fr)] grid-rows-[44px_72px_minmax(0,1fr)_auto] gap-x-3 gap-y-2.5 px-4 pb-4 wide:grid-cols-[minmax(0,1fr)_clamp(320px,25vw,400px)]"
    >
      <DropChoice bench={bench} />
      <p role="status" aria-label="Newest result" className="sr-only">
        {result && !behind
          ? `${output.name}: ${size(result.info.bytes)}, ${count(result.at.length, "frame")}`
          : ""}
      </p>
      <Header bench={bench} />
      <TakeSettings bench={bench} />
      <div className="flex overflow-clip rounded-[12px] border border-line bg-card wide:col-span-2">
        <Docket standings={cells} chosen={part} />
        <Stubs bench={bench} standings={outputs} choose={choose} />
      </div>
      <div className="grid min-h-0">
        {part === "gather" && flying ? (
          <FlightStage bench={bench} />
        ) : part === "gather" && cutting ? (
          <ViewsStage bench={bench} shown={shown} />
        ) : part === "gather" && contact ? (
          <Contact bench={bench} />
        ) : part === "rhythm" && timed === "order" && comparing ? (
          <CompareStage result={result} />
        ) : part === "framing" && framed === "size" && cropping ? (
          <CropStage bench={bench} shown={shown} />
        ) : part === "tuning" && judging && mayChange(output).length > 0 ? (
          <TrialsStage bench={bench} shown={shown} behind={behind} />
        ) : part === "tuning" && output.format === "sheet" && look === "sheet" ? (
          <SheetStage {...stage} laid={laid} />
        ) : part === "tuning" && ["sheet", "frames"].includes(output.format) && look === "scene" ? (
          <SceneStage result={result} output={output} behind={behind} />
        ) : part === "handoff" && proving ? (
          <ProofStage panel={panel} />
        ) : part === "framing" && framed === "line-up" && liningUp ? (
          <LineUpStage bench={bench} shown={shown} />
        ) : (
          <Stage
            {...stage}
            overlay={
              part === "framing" && framed === "size"
                ? (scale) => <PlaceOverlay bench={bench} scale={scale} />
                : part === "handoff" && hatched && shown && output.target?.cover
                  ? (scale) => <OpenMarks shown={shown} scale={scale} />
                  : undefined
            }
          />
        )}
      </div>
      {/* Where there is no room beside the stage it lies over it, and can be put away. */}
      <section
        ref={controls}
        aria-label={`${PART_NAMES[part]} controls`}
        className={`absolute top-[136px] right-4 bottom-4 z-20 w-[320px] overflow-y-auto rounded-[12px] border border-line bg-card px-3.5 py-3 shadow-xl wide:static wide:row-span-2 wide:block wide:min-h-0 wide:w-auto wide:shadow-none ${open ? "" : "hidden"}`}
      >
        {PARTS.map((one) => (
          <Tabs.Content key={one} value={one} tabIndex={-1} className="flex flex-col gap-2.5 outline-none">
            {one === "gather" && <GatherPanel {...panel} />}
            {one === "rhythm" && <RhythmPanel {...panel} />}
            {one === "framing" && <FramingPanel {...panel} />}
            {one === "tuning" && <TuningPanel {...panel} />}
            {one === "handoff" && <HandOffPanel {...panel} />}
          </Tabs.Content>
        ))}
      </section>
      {output.format === "still" ? (
        <StillStrip bench={bench} output={output} />
      ) : (
        <Strip bench={bench} shown={shown} plan={plan} />
      )}
    </Tabs.Root>
  );
}

/** Changes that an earlier page made and could not save are offered again. */
function useUnsent(bench: BenchParts): void {
  const latest = useRef(bench);
  latest.current = bench;
  const { id } = bench.project;
  useEffect(() => {
    const unsent = takeUnsent(id);
    if (!unsent || JSON.stringify(unsent.recipe) === JSON.stringify(latest.current.project.recipe)) return;
    const later = unsent.base !== latest.current.project.revision.id;
    tell(
      `“${unsent.label}” was not saved before the page closed${later ? "; the project was changed since" : ""}.`,
      {
        lasting: true,
        action: { label: "Apply it", run: () => latest.current.edit(unsent.label, () => unsent.recipe) },
      },
    );
  }, [id]);
}

function Header({ bench }: { bench: BenchParts }) {
  const { project } = bench;
  const open = usePanelOpen((state) => state.open);
  const held = useEdits((state) => state.held);
  const waiting = useEdits(underWay);
  const rename = (name: string) => {
    data(
      api.PATCH("/api/projects/{project_id}", { params: { path: { project_id: project.id } }, body: { name } }),
    ).catch(tellError);
  };
  return (
    <header className="flex items-center gap-2.5 wide:col-span-2">
      <Link to="/" aria-label="Shelf" className="flex items-center gap-2.5 text-ink-2 hover:text-ink">
        <img src="/mark.svg" alt="" className="size-[26px]" />
        Shelf
      </Link>
      <span className="text-ink-3">/</span>
      <h1 className="sr-only">{project.name}</h1>
      <TextField
        label="Project name"
        value={project.name}
        maxLength={200}
        onCommit={rename}
        className="max-w-[320px] min-w-[80px] field-sizing-content border-transparent! bg-transparent! px-1! font-sans! text-[15px] font-bold hover:border-line!"
      />
      <IconButton
        tip={project.undo ? `Undo: ${project.undo}` : "Nothing to undo"}
        keys="Ctrl Z"
        aria-label="Undo"
        disabled={!project.undo && !waiting}
        onClick={bench.undo}
      >
        <Undo2 size={15} />
      </IconButton>
      <IconButton
        tip={project.redo ? `Redo: ${project.redo}` : "Nothing to redo"}
        keys="Ctrl Shift Z"
        aria-label="Redo"
        disabled={!project.redo}
        onClick={bench.redo}
      >
        <Redo2 size={15} />
      </IconButton>
      <IconButton
        tip="Take settings from elsewhere, or save these"
        aria-label="Take settings"
        onClick={() => useTaking.setState({ open: true })}
      >
        <SlidersHorizontal size={15} />
      </IconButton>
      <span role="status" aria-label="Saving" className="text-ink-2">
        {held ? (
          <Mark verdict="look" word={`Not saved yet: ${held}; trying again`} />
        ) : waiting ? (
          "Saving…"
        ) : (
          "All changes saved"
        )}
      </span>
      <span className="grow" />
      <IconButton
        tip={open ? "Hide controls" : "Show controls"}
        onClick={() => usePanelOpen.setState({ open: !open })}
        className="wide:hidden"
      >
        <PanelRight size={15} />
      </IconButton>
      <ThemeButton />
      <IconButton tip="Keys" keys="?" onClick={() => useHelp.setState({ open: true })}>
        ?
      </IconButton>
    </header>
  );
}

/** Move the selected frames in the order; they stay selected. */
function moveChosen(bench: BenchParts, by: number): void {
  const places = chosenPlaces();
  if (places.length === 0) return;
  useSelection.setState({ places: new Set(moved(placesOf(bench), places, by).to), anchor: -1 });
  reorder(bench, "Frames moved", (length) => moved(length, places, by).from);
}

/** Select the frame on show, or all from the last one selected up to it. */
function selectHere(bench: BenchParts, how: "toggle" | "through"): void {
  const result = shownResult(bench);
  if (result) select(result, usePlayhead.getState().index, how);
}

/** The range starts, or ends, at the frame on show. */
function endHere(bench: BenchParts, end: "first" | "last"): void {
  const place = shownResult(bench)?.places[usePlayhead.getState().index];
  if (place !== undefined) setEnd(bench, end, place);
}

/** The output before or after the one on show. */
function turnOutput(bench: BenchParts, by: number, choose: (id: string) => void): void {
  const { outputs } = bench.recipe;
  const at = outputs.findIndex((one) => one.id === bench.output.id);
  const next = outputs[(at + by + outputs.length) % outputs.length];
  if (next) choose(next.id);
}

/** Keys that work wherever nothing is being typed. */
function useKeys(bench: BenchParts, setPart: (part: Part) => void, choose: (id: string) => void): void {
  // With the picture, not after it: a key acts on what is on screen.
  useLayoutEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const typing = isTyping(target);
      const held = event.ctrlKey || event.metaKey;
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      if (held && (!typing || target.dataset.clean === "true") && (key === "z" || key === "y")) {
        event.preventDefault();
        if (key === "y" || event.shiftKey) bench.redo();
        else bench.undo();
        return;
      }
      if (held && !typing && key === "a") {
        event.preventDefault();
        const result = shownResult(bench);
        if (result) selectAll(result);
        return;
      }
      if (held && !typing && (key === "c" || key === "v") && !getSelection()?.toString()) {
        event.preventDefault();
        if (key === "v") pasteDelays(bench);
        else if (copyDelays(bench) > 0)
          tell(
            `${count(useSelection.getState().copied.length, "delay")} copied: Ctrl V lays them over a selection.`,
          );
        return;
      }
      if (event.altKey && !typing && !held && (key === "ArrowLeft" || key === "ArrowRight")) {
        event.preventDefault();
        moveChosen(bench, key === "ArrowLeft" ? -1 : 1);
        return;
      }
      if (held || event.altKey || takesKey(target, event.key)) return;
      const parts: Record<string, Part> = { g: "gather", r: "rhythm", f: "framing", t: "tuning", h: "handoff" };
      const jump = event.shiftKey ? 10 : 1;
      const actions: Record<string, () => void> = {
        ArrowLeft: () => step(-jump),
        ArrowRight: () => step(jump),
        Home: () => show(0),
        End: () => show(usePlayhead.getState().line.ends.length - 1),
        Escape: selectNone,
        PageUp: () => turnOutput(bench, -1, choose),
        PageDown: () => turnOutput(bench, 1, choose),
        Delete: () => leaveOut(bench),
        "[": () => nudge(bench, -1),
        "]": () => nudge(bench, 1),
        s: () => selectHere(bench, event.shiftKey ? "through" : "toggle"),
        i: () => endHere(bench, "first"),
        o: () => endHere(bench, "last"),
        ",": () => nextSpeed(-1),
        ".": () => nextSpeed(1),
        "\\": turnRound,
        "-": () => zoomStrip(0.5),
        "+": () => zoomStrip(2),
        "=": () => zoomStrip(2),
        "0": () => zoomStrip("fit"),
        n: event.shiftKey ? nextReach : toggleNeighbours,
        b: nextBackdrop,
        z: nextZoom,
        l: toggleLoupe,
        x: () => {
          setPart("framing");
          useFramingPart.setState({ part: "size" });
          useCrop.setState(({ open }) => ({ open: !open, byKey: true }));
        },
        v: () => {
          setPart("tuning");
          toggleTrials();
        },
        p: () => {
          setPart("handoff");
          useProof.setState(({ open }) => ({ open: !open }));
        },
        c: () => {
          setPart("gather");
          useContact.setState(({ open }) => ({ open: !open }));
        },
      };
      if (key === " ") {
        event.preventDefault();
        toggle();
      } else if (parts[key]) {
        setPart(parts[key]);
      } else if (/^[1-7]$/.test(key)) {
        const view = VIEWS[Number(key) - 1];
        if (view) setView(view.value);
      } else if (actions[key]) {
        event.preventDefault();
        actions[key]();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [bench, setPart, choose]);
  // A button that a pointer pressed gives the focus up: the keys that follow are meant for the picture.
  useEffect(() => {
    const onClick = (event: MouseEvent) => {
      // A touch may come from a screen reader, which would lose its place.
      const byHand = event instanceof PointerEvent && ["mouse", "pen"].includes(event.pointerType);
      const button = (event.target as Element).closest("button");
      if (byHand && button === document.activeElement) button?.blur();
    };
    window.addEventListener("click", onClick);
    return () => window.removeEventListener("click", onClick);
  }, []);
}
