// Sending the chosen output to a stand-in, or to an address; and what the places answered.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Eye, Send as SendIcon } from "lucide-react";
import { useEffect, useState } from "react";
import { api, ApiError, data, type DeliveryInfo, type Output, type StandInInfo } from "../../api/client";
import { ago, sentence } from "../../format";
import { Button, Mark, Row, Select, TextField, type Verdict } from "../../ui/controls";
import { tell, tellError } from "../../ui/notices";
import { isGone, lastTo, placesFor, useProof, useStandIns, type Where } from "../proof/proof";
import { Failing, type PanelProps } from "./panel";

type Use = "transition" | "overlay" | "source";
const ELSEWHERE = "elsewhere";

export function Send(panel: PanelProps) {
  const { bench, result, behind, outputs } = panel;
  const { output, project } = bench;
  const standIns = useStandIns();
  const likely = placesFor(output, standIns).find((one) => one !== "page" && one !== "scene");
  const [chosen, setChosen] = useState<string | null>(null);
  const [address, setAddress] = useState("");
  const [wantedUse, setUse] = useState<Use | null>(null);
  const [asking, setAsking] = useState(false);
  const [wantedMemory, setMemory] = useState<number | null>(null);
  useEffect(() => {
    setChosen(null);
    setUse(null);
    setMemory(null);
  }, [output.id]);
  const queries = useQueryClient();
  const to = chosen ?? likely ?? ELSEWHERE;
  const standIn = standIns.find(({ name }) => name === to);
  const uses = (standIn?.status?.uses ?? []).filter((one): one is Use =>
    ["transition", "overlay", "source"].includes(one),
  );
  const use = wantedUse ?? (output.target?.cover ? "transition" : "overlay");
  const places = standIn?.status?.places ?? [];
  const free = places.find(({ title }) => title === "");
  const memory = wantedMemory ?? (use === "source" ? 1 : (free?.number ?? places.at(-1)?.number ?? 1));
  const mine = outputs.find((one) => one.output.id === output.id);
  const cut = mine?.check?.cut ?? null;
  const where = to === ELSEWHERE ? address : to;
  const last = lastTo(project, output, where);
  const going = last?.state === "sending";
  const send = async (again: boolean) => {
    setAsking(true);
    try {
      await data(
        api.POST("/api/projects/{project_id}/deliveries", {
          params: { path: { project_id: project.id } },
          body: {
            output: output.id,
            to: where,
            use: uses.length > 0 ? use : null,
            memory: places.length > 0 ? memory : null,
            cut: uses.length > 0 && use === "transition" ? cut : null,
            again,
          },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["project", project.id] });
    } catch (error) {
      const there =
        error instanceof ApiError && error.status === 409 && error.problem.message.includes("already");
      if (there && error.problem.message.startsWith("the same"))
        tell(sentence(error.problem.message), {
          lasting: true,
          action: { label: "Send again", run: () => void send(true) },
        });
      else tellError(error);
    } finally {
      setAsking(false);
    }
  };
  const answers = project.deliveries.filter((one) => one.output_id === output.id);
  return (
    <section aria-label="Send" className="flex flex-col gap-2 border-t border-line pt-2.5">
      <h3 className="font-semibold">Send</h3>
      <Row label="To">
        <Select
          label="Where to send it"
          value={to}
          choices={[
            ...standIns.map(({ name, title, state }) => ({
              value: name,
              label:
                state === "ready" ? title : `${title} (${state === "starting" ? "starting" : "no answer"})`,
            })),
            { value: ELSEWHERE, label: "an address…" },
          ]}
          onChange={setChosen}
        />
        {to === ELSEWHERE && (
          <TextField
            label="Address"
            value={address}
            placeholder="http://127.0.0.1:8231"
            className="min-w-0 grow"
            onCommit={setAddress}
          />
        )}
      </Row>
      {(uses.length > 0 || places.length > 0) && (
        <Row label="As">
          {uses.length > 0 && (
            <Select
              label="What it is for there"
              value={use}
              choices={uses.map((value) => ({ value, label: value }))}
              onChange={setUse}
            />
          )}
          {places.length > 0 && (
            <Select
              label={use === "source" ? "Source" : "Memory"}
              value={String(memory)}
              choices={(use === "source" ? places.slice(0, 2) : places).map(({ number, title }) => ({
                value: String(number),
                label:
                  use === "source"
                    ? `source ${number === 1 ? "A" : "B"}`
                    : `memory ${number} · ${title || "free"}`,
              }))}
              onChange={(next) => setMemory(Number(next))}
            />
          )}
        </Row>
      )}
      <span className="flex gap-1.5">
        <Button
          look="strong"
          disabled={!result || behind || !where || (standIn && standIn.state !== "ready")}
          aria-disabled={going || asking}
          className="aria-disabled:opacity-45"
          title={behind ? "The output must be encoded first" : undefined}
          onClick={() => {
            if (!going && !asking) void send(false); // disabled it would lose the focus while it is at work
          }}
        >
          <SendIcon size={14} /> {asking ? "Sending…" : "Send"}
        </Button>
        {places.length > 0 && use === "transition" && cut !== null && (
          <span className="self-center text-ink-2">cut at frame {cut}</span>
        )}
      </span>
      {mine && <Failing of={[mine]} />}
      {answers.map((one) => (
        <AnswerLine key={one.id} panel={panel} output={output} delivery={one} standIns={standIns} />
      ))}
    </section>
  );
}

const STATES: Record<DeliveryInfo["state"], readonly [Verdict, string]> = {
  sending: ["busy", "sending"],
  taken: ["fine", "accepted"],
  changed: ["look", "changed on arrival"],
  refused: ["stop", "refused"],
  failed: ["stop", "interrupted"],
  cancelled: ["look", "cancelled"],
};

function AnswerLine({
  panel,
  output,
  delivery,
  standIns,
}: {
  panel: PanelProps;
  output: Output;
  delivery: DeliveryInfo;
  standIns: readonly StandInInfo[];
}) {
  const { bench, result, behind } = panel;
  const queries = useQueryClient();
  const path = { project_id: bench.project.id, number: delivery.id };
  const watched = useQuery({
    queryKey: ["delivery", delivery.id],
    queryFn: async () => {
      const now = await data<DeliveryInfo>(
        api.GET("/api/projects/{project_id}/deliveries/{number}", { params: { path } }),
      );
      if (now.state !== "sending") await queries.invalidateQueries({ queryKey: ["project", bench.project.id] });
      return now;
    },
    enabled: delivery.state === "sending",
    refetchInterval: 300,
  });
  const now = delivery.state === "sending" ? (watched.data ?? delivery) : delivery;
  const [verdict, word] = STATES[now.state];
  const standIn = standIns.find(({ name }) => name === now.place);
  const title = standIn?.title ?? (now.place || now.address);
  const gone = isGone(standIn, now);
  const stale = now.state !== "sending" && (gone || behind || now.content !== result?.content);
  const since = gone ? "no longer there" : "before the last change";
  const share = now.total > 0 ? now.done / now.total : 0;
  return (
    <div
      role="group"
      aria-label={`Answer of ${title}`}
      data-output={output.id}
      className={`flex flex-col gap-1 rounded-[8px] bg-well px-2.5 py-2 ${stale ? "opacity-75" : ""}`}
    >
      <span role="status" className="sr-only">
        {`${title}: ${word}${now.message ? `. ${sentence(now.message)}` : ""}`}
      </span>
      <span className="flex items-center gap-1.5">
        <Mark verdict={stale ? "look" : verdict} word={stale ? `${word}, ${since}` : word} />
        <b className="min-w-0 truncate font-semibold">
          {title}
          {now.memory !== null && `, ${now.memory}`}
        </b>
        <span className="grow" />
        {now.state === "sending" ? (
          <Button
            className="h-[24px]! px-2!"
            onClick={() => {
              data(api.DELETE("/api/projects/{project_id}/deliveries/{number}", { params: { path } })).catch(
                tellError,
              );
            }}
          >
            Cancel
          </Button>
        ) : (
          <span className="text-xs whitespace-nowrap text-ink-2">{ago(now.created, Date.now())}</span>
        )}
      </span>
      {now.state === "sending" ? (
        <>
          <span
            role="progressbar"
            aria-label={`Sending to ${title}`}
            aria-valuenow={Math.round(share * 100)}
            className="relative h-[8px] overflow-hidden rounded bg-line"
          >
            <span className="bars absolute inset-y-0 left-0" style={{ width: `${share * 100}%` }} />
          </span>
          <span className="figure text-xs text-ink-2">
            {now.stage || "sending"} {now.total > 0 && `${now.done} of ${now.total}`}
          </span>
        </>
      ) : (
        <>
          {now.message && (
            <p>
              {now.file && <span className="figure text-xs">{now.file} </span>}
              {sentence(now.message)}.
              {now.remedy && <span className="text-ink-2"> {sentence(now.remedy)}.</span>}
            </p>
          )}
          {now.remarks.map((remark) => (
            <p key={remark} className="text-xs text-ink-2">
              {sentence(remark)}.
            </p>
          ))}
          {now.place && !gone && (now.state === "taken" || now.state === "changed") && (
            <Button
              look="quiet"
              className="h-[24px]! self-start px-1.5!"
              onClick={() => useProof.setState({ open: true, where: now.place as Where })}
            >
              <Eye size={14} /> Look at it there
            </Button>
          )}
        </>
      )}
    </div>
  );
}
