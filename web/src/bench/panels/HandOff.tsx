// The files that leave: how each stands, what the chosen one's target says, and where they go.

import { Check as Done, Code, Download, FolderDown, Package } from "lucide-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  api,
  ApiError,
  data,
  describeProblem,
  fileUrl,
  type Limits,
  type Output,
  type ProjectInfo,
  type ResultInfo,
} from "../../api/client";
import { ago, count, seconds, size, times } from "../../format";
import { Button, Checkbox, IconButton, Mark, Row, Segmented, TextField } from "../../ui/controls";
import { tell, tellError } from "../../ui/notices";
import { useWished } from "../../ui/useWished";
import { viewOf } from "../formats/table";
import { useProof } from "../proof/proof";
import type { OutputStatus } from "../status";
import { Check } from "./Check";
import { Cover } from "./Cover";
import { OnRaster } from "./OnRaster";
import { Facts, Failing, Head, type PanelProps } from "./panel";
import { Send } from "./Send";

export function HandOffPanel(panel: PanelProps) {
  const { bench, result, behind, busy, job, cancel, retry, outputs, choose } = panel;
  const { output, project } = bench;
  const view = viewOf(output);
  const proving = useProof((state) => state.open);
  const ready = result !== undefined && !behind;
  const allReady = outputs.every((one) => one.result && !one.behind);
  const others = new Set(
    bench.recipe.outputs.filter(({ id }) => id !== output.id).map((one) => leavesAs(one).toLowerCase()),
  );
  const passing = outputs.filter((one) => one.verdict === "fine").length;
  return (
    <>
      <Head title="Hand-off">
        {count(outputs.length, "output")}, {passing} fine
      </Head>
      <Row label="Stage">
        <Segmented
          label="What the stage shows"
          value={proving ? "proof" : "picture"}
          choices={[
            { value: "picture", label: "Picture" },
            { value: "proof", label: "Proof", tip: "The file in the place it is for", keys: "P" },
          ]}
          onChange={(next) => useProof.setState({ open: next === "proof" })}
        />
      </Row>
      <ul aria-label="Outputs to hand off" className="flex flex-col gap-0.5">
        {outputs.map((one) => (
          <Line key={one.output.id} panel={panel} one={one} choose={choose} />
        ))}
      </ul>
      <Row label="File name">
        <TextField
          label="File name"
          value={output.file_name}
          read={(text) => {
            const ending = view.ending(output);
            const typed = text.trim();
            const name = typed.toLowerCase().endsWith(ending) ? typed.slice(0, -ending.length) : typed;
            const file = `${name}${ending}`;
            const free = !others.has(leavesAs({ ...output, file_name: file }).toLowerCase());
            return name && free && name.length <= 110 && !/[/\\\p{Cc}]/u.test(name) ? file : null;
          }}
          why="A name of up to 110 characters, without / or \, that no other output uses."
          onCommit={(name) => bench.editOutput(`Named ${name}`, (so) => ({ ...so, file_name: name }))}
          className="w-full"
        />
      </Row>
      <Together panel={panel} ready={allReady} />
      <Kept key={output.id} bench={bench} />
      {outputs.length > 1 && <Failing of={outputs} />}
      {!ready &&
        (busy ? (
          <Button onClick={cancel}>Cancel</Button>
        ) : (
          <>
            {job?.state === "failed" && <Mark verdict="stop" word="encoding failed" />}
            <Button onClick={retry}>Encode again</Button>
          </>
        ))}
      <Check {...panel} />
      <Send {...panel} />
      <Cover {...panel} />
      <OnRaster {...panel} />
      <ProjectFile project={project} />
      <div className="flex flex-col gap-2 border-t border-line pt-2.5">
        {result && (
          <Facts
            facts={[
              ["Format", view.title(output)],
              ["Size", `${result.info.width} × ${result.info.height}`],
              ...(result.info.sheets
                ? ([["Sheets", result.info.sheets.map((sides) => sides.join(" × ")).join(", ")]] as const)
                : []),
              ["Frames", played(result)],
              ...(output.format === "still"
                ? []
                : ([
                    ["Plays", `${seconds(result.info.duration_ms)} s, ${times(result.info.repeat)}`],
                  ] as const)),
              ...(result.info.colours === null ? [] : ([["Colours", String(result.info.colours)]] as const)),
              ["Alpha", result.info.transparent ? (output.format === "gif" ? "one bit" : "soft") : "none"],
              ["Bytes", result.info.bytes.toLocaleString("en").replace(/,/g, " ")],
            ]}
          />
        )}
        {result && !["service", "sheet"].includes(view.player(output)) && <Snippet panel={panel} />}
      </div>
      {result?.notes.map((note) => (
        <p key={note} className="text-ink-2">
          <Mark verdict="look" word="look" /> {note}
        </p>
      ))}
    </>
  );
}

/** How many frames play, and how many the file needs for that, if one stands for several. */
function played({ at, info }: ResultInfo): string {
  return at.length === info.count ? String(info.count) : `${at.length}, as ${info.count} in the file`;
}

/** What is downloaded: files that belong together leave as one archive. */
const leavesAs = ({ format, file_name }: Output) =>
  format === "sheet" ? file_name.replace(/\.[^.]*$/, ".zip") : file_name;

/** One output: how it stands, what it weighs, and a way to take it away. */
function Line({ panel, one, choose }: { panel: PanelProps; one: OutputStatus; choose: (id: string) => void }) {
  const { bench } = panel;
  const { output, result, behind, verdict, word } = one;
  const record = useRecord(panel);
  const chosen = output.id === bench.output.id;
  const last = bench.project.handoffs.find((left) => left.output_id === output.id);
  const changed = last && (behind || last.content !== result?.content);
  return (
    <li
      className={`grid grid-cols-[1fr_auto_30px] items-center gap-2 rounded-[6px] px-1.5 py-0.5 ${chosen ? "bg-jay-soft" : ""}`}
    >
      <button
        type="button"
        onClick={() => choose(output.id)}
        className="min-w-0 text-left"
        aria-pressed={chosen}
      >
        <span className="flex items-center gap-1.5">
          <Mark verdict={verdict} word="" />
          <b dir="auto" className="truncate font-semibold">
            {output.name}
          </b>
        </span>
        <span className="block truncate text-xs text-ink-2">
          {verdict !== "fine" && <span className="font-semibold">{word} · </span>}
          {viewOf(output).title(output)}
          {result ? ` ${(result.info.sheets?.[0] ?? [result.info.width, result.info.height]).join(" × ")}` : ""}
          {last && (
            <span title={`SHA-256 ${last.sha256}, ${last.bytes} bytes`}>
              {" · "}handed off {ago(last.created, Date.now())}
              {changed ? ", changed since" : ""}
            </span>
          )}
        </span>
      </button>
      <span className={`figure text-xs ${behind ? "italic opacity-60" : ""}`}>
        {result ? size(result.info.bytes) : "…"}
      </span>
      {result && !behind ? (
        <a
          href={`${fileUrl(result)}&download=true`}
          download={leavesAs(output)}
          aria-label={`Download ${leavesAs(output)}`}
          title={`Download ${leavesAs(output)}`}
          onClick={() => void record([output.id])}
          className="inline-flex h-[26px] w-[30px] items-center justify-center rounded-[7px] border border-line bg-card hover:border-ink-3"
        >
          <Download size={14} />
        </a>
      ) : (
        <span />
      )}
    </li>
  );
}

/** Note that outputs were downloaded. */
function useRecord({ bench }: PanelProps): (outputs: string[]) => Promise<void> {
  const queries = useQueryClient();
  const path = { project_id: bench.project.id };
  return async (outputs) => {
    try {
      await data(
        api.POST("/api/projects/{project_id}/handoff", {
          params: { path },
          body: { outputs, to: "download", replace: false },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["project", bench.project.id] });
    } catch (error) {
      tellError(error);
    }
  };
}

/** All outputs at once: as a zip, or into the folder that ./start was given. */
function Together({ panel, ready }: { panel: PanelProps; ready: boolean }) {
  const { bench } = panel;
  const { project } = bench;
  const queries = useQueryClient();
  const record = useRecord(panel);
  const limits = useQuery({ queryKey: ["limits"], queryFn: () => data<Limits>(api.GET("/api/limits")) });
  const folder = limits.data?.handoff_folder;
  const [writing, setWriting] = useState(false);
  const write = async (replace: boolean) => {
    setWriting(true);
    try {
      const done = await data<{ folder: string | null }>(
        api.POST("/api/projects/{project_id}/handoff", {
          params: { path: { project_id: project.id } },
          body: { outputs: [], to: "folder", replace },
        }),
      );
      tell(`Written into ${folder ?? ""}/${done.folder ?? ""}.`);
      await queries.invalidateQueries({ queryKey: ["project", project.id] });
    } catch (error) {
      if (
        error instanceof ApiError &&
        error.status === 409 &&
        error.problem.message.startsWith("already there")
      )
        tell(error.message, {
          lasting: true,
          action: { label: "Replace them", run: () => void write(true) },
        });
      else tellError(error);
    } finally {
      setWriting(false);
    }
  };
  return (
    <span className="flex gap-1.5">
      {ready ? (
        <a
          href={`/api/projects/${project.id}/handoff`}
          download
          onClick={() => void record([])}
          className="inline-flex h-[34px] grow items-center justify-center gap-2 rounded-[7px] bg-strong font-semibold text-on-strong hover:opacity-90"
        >
          <Download size={15} /> All in one zip
        </a>
      ) : (
        <Button disabled className="h-[34px]! grow" title="Each output must be encoded first">
          All in one zip
        </Button>
      )}
      {folder && (
        <Button
          disabled={!ready}
          aria-disabled={writing}
          className="h-[34px]! aria-disabled:opacity-45"
          onClick={() => {
            if (!writing) void write(false);
          }}
        >
          <FolderDown size={15} /> {writing ? "Writing…" : `Into ${folder}`}
        </Button>
      )}
    </span>
  );
}

/** Whether the chosen output is written into the hand-off folder whenever it is new, and why it is not there. */
function Kept({ bench }: { bench: PanelProps["bench"] }) {
  const { output, project } = bench;
  const queries = useQueryClient();
  const limits = useQuery({ queryKey: ["limits"], queryFn: () => data<Limits>(api.GET("/api/limits")) });
  const folder = limits.data?.handoff_folder;
  const kept = project.kept.find(({ output_id }) => output_id === output.id);
  const [on, wish] = useWished(kept !== undefined);
  if (!folder) return null;
  const change = (to: boolean) =>
    wish(
      to,
      data(
        api.PUT("/api/projects/{project_id}/outputs/{output_id}/kept", {
          params: { path: { project_id: project.id, output_id: output.id } },
          body: { kept: to },
        }),
      )
        .catch(tellError)
        .then(() => queries.invalidateQueries({ queryKey: ["project", project.id] })),
    );
  return (
    <div className="flex flex-col gap-1">
      <Checkbox label={`Keep ${output.name} up to date in ${folder}`} checked={on} onChange={change} />
      {on && kept?.problem && (
        <p role="alert" className="text-xs">
          <Mark verdict="stop" word="not written" /> {describeProblem(kept.problem)}
        </p>
      )}
    </div>
  );
}

/** What a page needs to show the file: copied as HTML. */
function Snippet({ panel }: { panel: PanelProps }) {
  const { bench, result } = panel;
  const { output, project } = bench;
  const [copied, setCopied] = useState(false);
  if (!result) return null;
  const { width, height } = result.info;
  const name = encodeURI(output.file_name).replace(/"/g, "%22");
  const text = project.name.replace(/[&<>"]/g, (found) => `&#${found.charCodeAt(0)};`);
  const moving = output.format === "video";
  const html = moving
    ? `<video src="${name}" width="${width}" height="${height}" autoplay loop muted playsinline></video>`
    : `<img src="${name}" width="${width}" height="${height}" alt="${text}">`;
  return (
    <Row label="On a page">
      <code className="figure min-w-0 grow truncate text-xs text-ink-2" title={html}>
        {html}
      </code>
      <IconButton
        tip="Copy as HTML"
        className="h-[26px]!"
        onClick={() => {
          navigator.clipboard.writeText(html).then(
            () => {
              setCopied(true);
              setTimeout(() => setCopied(false), 1500);
            },
            () => tell(html, { lasting: true }),
          );
        }}
      >
        {copied ? <Done size={14} /> : <Code size={14} />}
      </IconButton>
    </Row>
  );
}

function ProjectFile({ project }: { project: Pick<ProjectInfo, "id" | "archive_parts"> }) {
  const whole = project.archive_parts === 1;
  return (
    <div className="flex flex-wrap items-center gap-1.5 border-t border-line pt-2.5">
      <h3 className="grow font-semibold">Project file</h3>
      {Array.from({ length: project.archive_parts }, (_, index) => (
        <a
          key={index}
          href={`/api/projects/${project.id}/archive?part=${index + 1}`}
          download
          className="inline-flex h-[30px] items-center gap-1.5 rounded-[7px] border border-line px-3 font-medium hover:border-ink-3"
        >
          <Package size={14} />
          {whole ? "Save project" : `Part ${index + 1}`}
        </a>
      ))}
      <p className="w-full text-xs text-ink-2">
        Recipe and frames; drop {whole ? "it" : `all ${project.archive_parts} parts`} on a shelf to go on there.
      </p>
    </div>
  );
}
