// Files from this machine, brought to a stand-in by hand: chosen or dropped, sent one by one, answered in words.

import { useRef, useState } from "react";
import { ApiError, data } from "../api/client";
import { count } from "../format";
import { Button, Mark, Select } from "../ui/controls";
import { api, type Answer, type Intake, type Status } from "./api";
import { Group } from "./parts";

type Use = Status["uses"][number];

export function Bring({ status, onDone }: { status: Status; onDone: () => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [use, setUse] = useState<Use>(status.uses[0] ?? "post");
  const [place, setPlace] = useState("3");
  const [stage, setStage] = useState("");
  const [answer, setAnswer] = useState<Answer | null>(null);
  const called = useRef(false);
  const places = use === "source" ? status.places.slice(0, 2) : status.places;
  const bring = async (files: File[]) => {
    called.current = false;
    setAnswer(null);
    try {
      setAnswer(
        await send(
          status,
          files,
          use,
          places.length > 0 ? Number(place) : null,
          setStage,
          () => called.current,
        ),
      );
      onDone();
    } catch (error) {
      setAnswer({
        verdict: "refused",
        message: error instanceof Error ? error.message : String(error),
        file: null,
        remedy: "",
        remarks: [],
      });
    } finally {
      setStage("");
    }
  };
  return (
    <Group title="Bring files">
      <div
        className="flex flex-wrap items-center gap-2.5"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          void bring([...event.dataTransfer.files]);
        }}
      >
        {status.uses.length > 1 && (
          <label className="flex items-center gap-1.5 text-ink-2">
            as
            <Select
              label="As"
              value={use}
              choices={status.uses.map((value) => ({ value, label: value }))}
              onChange={setUse}
            />
          </label>
        )}
        {places.length > 0 && (
          <label className="flex items-center gap-1.5 text-ink-2">
            {use === "source" ? "source" : "into memory"}
            <Select
              label={use === "source" ? "Source" : "Memory"}
              value={place}
              choices={places.map(({ number, title }) => ({
                value: String(number),
                label: use === "source" ? (number === 1 ? "A" : "B") : `${number} · ${title || "free"}`,
              }))}
              onChange={setPlace}
            />
          </label>
        )}
        <Button disabled={stage !== ""} onClick={() => chooser.current?.click()}>
          Choose files…
        </Button>
        <input
          ref={chooser}
          type="file"
          multiple
          aria-label="Files to bring"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            const files = [...(event.target.files ?? [])];
            event.target.value = "";
            if (files.length > 0) void bring(files);
          }}
        />
        {stage ? (
          <>
            <span role="status" className="figure text-ink-2">
              {stage}
            </span>
            <Button onClick={() => (called.current = true)}>Cancel</Button>
          </>
        ) : (
          <span className="text-ink-2">or drop them here. {HINTS[status.kind] ?? ""}</span>
        )}
      </div>
      {answer && <Answered answer={answer} />}
    </Group>
  );
}

const HINTS: Record<string, string> = {
  switcher: "A numbered set of PNG or TGA files, all of them.",
  graphics: "A numbered set of TGA, PNG, BMP or JPEG files.",
  post: "One GIF, PNG, JPEG, WebP or MP4.",
  effects: "A numbered set of PNG files, or a sheet with its JSON.",
};

const WORDS = { taken: "accepted", changed: "changed", refused: "refused" } as const;

function Answered({ answer }: { answer: Answer }) {
  const mark = { taken: "fine", changed: "look", refused: "stop" } as const;
  return (
    <p role="status">
      <Mark verdict={mark[answer.verdict]} word={WORDS[answer.verdict]} chip />{" "}
      {answer.file ? `${answer.file} ` : ""}
      {answer.message}
      {answer.remedy && <span className="text-ink-2">; {answer.remedy}</span>}
      {answer.remarks.map((remark) => (
        <span key={remark} className="block text-ink-2">
          {remark}
        </span>
      ))}
    </p>
  );
}

const numberOf = (name: string) => Number(/(\d+)\.\w+$/.exec(name)?.[1] ?? Number.NaN);

async function send(
  status: Status,
  files: File[],
  use: Use,
  place: number | null,
  onStage: (stage: string) => void,
  cancelled: () => boolean,
): Promise<Answer> {
  const set = status.kind !== "post" && !files.some((file) => file.name.endsWith(".json"));
  const ordered = files.toSorted((one, other) => numberOf(one.name) - numberOf(other.name));
  let intake = await data<Intake>(
    api.POST("/api/intakes", {
      body: {
        key: crypto.randomUUID(),
        title: files.length > 1 ? (ordered[0]?.name ?? "").replace(/[\W_]*\d+\.\w+$/, "") : "",
        files: ordered.map(({ name, size }) => ({ name, bytes: size })),
        first: set ? (ordered[0]?.name ?? null) : null,
        use,
        place,
        rate: null,
        repeat: 0,
        cut: null,
      },
    }),
  );
  const path = { number: intake.id };
  const callOff = async () => {
    await data(api.DELETE("/api/intakes/{number}", { params: { path } }));
    throw new Error("Cancelled; nothing was kept.");
  };
  for (const [index, file] of ordered.entries()) {
    onStage(`sending ${index + 1} of ${count(files.length, "file")}`);
    if (cancelled()) await callOff();
    const sent = await fetch(`/api/intakes/${intake.id}/files/${encodeURIComponent(file.name)}`, {
      method: "PUT",
      body: file,
    });
    if (!sent.ok)
      throw new ApiError({ kind: "sent", ...((await sent.json()) as Omit<Problem, "kind">) }, sent.status);
  }
  intake = await data<Intake>(api.POST("/api/intakes/{number}/finish", { params: { path } }));
  while (!intake.answer) {
    onStage(intake.total > 0 ? `converting ${intake.done} of ${intake.total}` : "waiting");
    if (cancelled()) await callOff();
    await new Promise((resolve) => setTimeout(resolve, 250));
    intake = await data<Intake>(api.GET("/api/intakes/{number}", { params: { path } }));
  }
  return intake.answer;
}

interface Problem {
  kind: string;
  message: string;
  file: string | null;
  remedy: string;
}
