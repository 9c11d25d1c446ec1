// The file that leaves: its name, what it is, and how it stands against what was asked.

import { Download, Package } from "lucide-react";
import { fileUrl } from "../../api/client";
import { kilobytes, seconds, size, times } from "../../format";
import { Button, Mark, Row, TextField } from "../../ui/controls";
import { Facts, Head, type PanelProps } from "./panel";

export function HandOffPanel({ bench, result, behind, busy, job, cancel, retry }: PanelProps) {
  const { output, project } = bench;
  const info = result?.info;
  const over = info && output.budget !== null ? info.bytes - output.budget : 0;
  const ready = result !== undefined && !behind;
  return (
    <>
      <Head title="Hand-off">{output.name}</Head>
      <Row label="File name">
        <TextField
          label="File name"
          value={output.file_name}
          read={(text) => {
            const name = text.trim().replace(/\.gif$/i, "");
            return name && name.length <= 110 && !/[/\\\p{Cc}]/u.test(name) ? `${name}.gif` : null;
          }}
          why="A name of up to 110 characters, without / or \\."
          onCommit={(name) => bench.editOutput(`Named ${name}`, (so) => ({ ...so, file_name: name }))}
          className="w-full"
        />
      </Row>
      <div className="rounded-[10px] bg-well px-3 py-2.5">
        <p>
          <span className={`figure text-2xl font-semibold ${ready ? "" : "opacity-60"}`}>
            {info ? kilobytes(info.bytes) : "…"}
          </span>{" "}
          <span className="text-ink-2">KB</span>
        </p>
        <Mark
          verdict={job?.state === "failed" ? "stop" : !ready ? "busy" : over > 0 ? "stop" : "fine"}
          word={
            job?.state === "failed"
              ? "encoding failed"
              : !ready
                ? busy
                  ? "encoding"
                  : "out of date"
                : over > 0
                  ? `${size(over)} over the budget`
                  : output.budget === null
                    ? "ready"
                    : "within the budget"
          }
        />
      </div>
      {ready ? (
        <a
          href={`${fileUrl(result)}&download=true`}
          download={output.file_name}
          className="inline-flex h-[34px] items-center justify-center gap-2 rounded-[7px] bg-strong font-semibold text-on-strong hover:opacity-90"
        >
          <Download size={15} /> Download {output.file_name.length > 24 ? "the GIF" : output.file_name}
        </a>
      ) : busy ? (
        <Button onClick={cancel}>Cancel</Button>
      ) : (
        <Button onClick={retry}>Encode again</Button>
      )}
      {info && (
        <Facts
          facts={[
            ["Format", "GIF89a"],
            ["Size", `${info.width} × ${info.height}`],
            ["Frames", String(info.count)],
            ["Plays", `${seconds(info.duration_ms)} s, ${times(info.repeat)}`],
            ["Colours", String(info.colours)],
            ["Alpha", info.transparent ? "one bit" : "none"],
            ["Bytes", info.bytes.toLocaleString("en").replace(/,/g, " ")],
          ]}
        />
      )}
      <div className="flex flex-col gap-1.5 border-t border-line pt-2.5">
        <h3 className="font-semibold">Project file</h3>
        <p className="text-ink-2">
          Recipe and frames in {project.archive_parts === 1 ? "one file" : `${project.archive_parts} files`}.
          Drop
          {project.archive_parts === 1 ? " it" : " all of them together"} on a shelf to go on there.
        </p>
        <span className="flex flex-wrap gap-1.5">
          {Array.from({ length: project.archive_parts }, (_, index) => (
            <a
              key={index}
              href={`/api/projects/${project.id}/archive?part=${index + 1}`}
              download
              className="inline-flex h-[30px] items-center gap-1.5 rounded-[7px] border border-line px-3 font-medium hover:border-ink-3"
            >
              <Package size={14} />
              {project.archive_parts === 1 ? "Save project" : `Part ${index + 1}`}
            </a>
          ))}
        </span>
      </div>
      {result?.notes.map((note) => (
        <p key={note} className="text-ink-2">
          <Mark verdict="look" word="look" /> {note}
        </p>
      ))}
    </>
  );
}
