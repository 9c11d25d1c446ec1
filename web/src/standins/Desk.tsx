// The pierhead's vision desk: what is on air and what comes next, six berths for clips, two layers over all.

import { data } from "../api/client";
import { Button, NumberField, Segmented, Select } from "../ui/controls";
import { api, bare, type Desk, type MemoryInfo, type Overlay } from "./api";
import { Group, Monitor, type Device } from "./parts";

const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(bytes < 1e8 ? 1 : 0)} MB`;

export function DeskPage({ device }: { device: Device<Desk> }) {
  const { now: desk, act } = device;
  if (!desk) return <p className="text-ink-2">Asking the desk…</p>;
  const title = (source: "A" | "B") => desk.source_titles[source === "A" ? 0 : 1] ?? source;
  const busy = desk.moving !== "";
  return (
    <>
      <div
        className={`grid gap-3 ${bare ? "grid-cols-[348px_minmax(0,1fr)]" : "grid-cols-[minmax(0,1.7fr)_minmax(0,1fr)]"}`}
      >
        <Monitor
          src="/api/monitor/program"
          lit
          label={`On air: ${title(desk.program)}${busy ? `, ${desk.moving} under way` : ""}`}
        />
        <div className="flex min-w-0 flex-col gap-2.5">
          <div
            className={`grid gap-2.5 ${bare ? "grid-cols-[216px_minmax(0,1fr)]" : "grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)]"}`}
          >
            <Monitor src="/api/monitor/preview" label={`Next: ${title(desk.preview)}`} />
            <div className="flex flex-col justify-start gap-1.5">
              <Button disabled={busy} onClick={() => void act(() => data(api.POST("/api/desk/cut")))}>
                Cut
              </Button>
              <Button
                disabled={busy}
                onClick={() => void act(() => data(api.POST("/api/desk/mix", { body: { frames: 25 } })))}
              >
                Mix, 25 frames
              </Button>
              <span className="figure text-xs text-ink-2">frame {desk.at}</span>
            </div>
          </div>
          {desk.overlays.map((overlay, index) => (
            <Layer key={index} number={index + 1} overlay={overlay} memories={desk.memories} act={act} />
          ))}
          {!bare && <Show desk={desk} act={act} />}
        </div>
      </div>
      <section aria-label="Clip memories">
        <div className="mb-1.5 flex items-center gap-2.5">
          <h2 className="font-semibold">Clip memories</h2>
          <span className="relative h-[9px] grow overflow-hidden rounded bg-well">
            <span
              className="bars absolute inset-y-0 left-0"
              style={{ width: `${(100 * desk.memory_used) / desk.memory_total}%` }}
            />
          </span>
          <span className="figure text-xs text-ink-2">
            {megabytes(desk.memory_used)} of {megabytes(desk.memory_total)}
          </span>
        </div>
        <ul className="grid grid-cols-6 gap-2">
          {desk.memories.map((memory) => (
            <Berth key={memory.number} memory={memory} busy={busy} act={act} />
          ))}
        </ul>
      </section>
    </>
  );
}

type Act = Device<Desk>["act"];

function Berth({ memory, busy, act }: { memory: MemoryInfo; busy: boolean; act: Act }) {
  const path = { number: memory.number };
  return (
    <li
      aria-label={`Memory ${memory.number}`}
      className={`flex min-w-0 flex-col gap-1 rounded-[10px] border px-2 py-1.5 ${memory.title ? "border-line bg-card" : "border-dashed border-line"}`}
    >
      <span className="flex items-center gap-1.5">
        <b className="figure inline-flex size-5 shrink-0 items-center justify-center rounded-full border-2 border-buff text-xs">
          {memory.number}
        </b>
        <span className="truncate font-semibold" title={memory.title}>
          {memory.title || "free"}
        </span>
      </span>
      {memory.title && (
        <>
          <span className="figure text-xs text-ink-2">
            {memory.frames} fr, {megabytes(memory.bytes)}
          </span>
          <span className="flex flex-wrap items-center gap-1">
            <Button
              className="h-[26px]! px-2!"
              disabled={busy}
              title="Play it over the cut to the other source"
              onClick={() =>
                void act(() => data(api.POST("/api/desk/play", { body: { memory: memory.number } })))
              }
            >
              Play
            </Button>
            <label
              className="flex items-center gap-1 text-xs text-ink-2"
              title="The frame at which the sources are cut"
            >
              {bare ? "at" : "cut at"}
              <NumberField
                label={`Cut of memory ${memory.number}`}
                value={memory.cut ?? null}
                min={1}
                max={memory.frames}
                className="w-[42px] text-right"
                onCommit={(frame) =>
                  void act(() =>
                    data(api.PUT("/api/memories/{number}/cut", { params: { path }, body: { frame } })),
                  )
                }
              />
            </label>
            {!bare && (
              <Button
                look="quiet"
                className="h-[26px]! px-1.5!"
                onClick={() => void act(() => data(api.DELETE("/api/memories/{number}", { params: { path } })))}
              >
                Clear
              </Button>
            )}
          </span>
        </>
      )}
    </li>
  );
}

function Layer({
  number,
  overlay,
  memories,
  act,
}: {
  number: number;
  overlay: Overlay;
  memories: readonly MemoryInfo[];
  act: Act;
}) {
  const set = (change: Partial<Overlay>) =>
    void act(() =>
      data(
        api.PUT("/api/desk/overlays/{layer}", {
          params: { path: { layer: number } },
          body: { ...overlay, ...change },
        }),
      ),
    );
  return (
    <div
      role="group"
      aria-label={`Layer ${number}`}
      className="flex flex-wrap items-center gap-1.5 rounded-[10px] border border-line bg-card px-2 py-1.5"
    >
      <span className="font-semibold">Layer {number}</span>
      <Select
        label={`Memory on layer ${number}`}
        value={overlay.memory === null ? "" : String(overlay.memory)}
        choices={[
          { value: "", label: "nothing" },
          ...memories
            .filter(({ title }) => title)
            .map((memory) => ({ value: String(memory.number), label: `${memory.number} · ${memory.title}` })),
        ]}
        onChange={(next) => set({ memory: next ? Number(next) : null, left: null, top: null })}
      />
      <Segmented
        label={`How layer ${number} plays`}
        value={overlay.mode ?? memories.find((one) => one.number === overlay.memory)?.mode ?? "loop"}
        choices={[
          { value: "loop", label: "loop" },
          { value: "once", label: "once" },
          { value: "there-and-back", label: "there and back" },
        ]}
        onChange={(mode) => set({ mode })}
      />
    </div>
  );
}

function Show({ desk, act }: { desk: Desk; act: Act }) {
  const set = (change: Partial<Desk["show"]>) =>
    void act(() => data(api.PUT("/api/desk/show", { body: { ...desk.show, ...change } })));
  return (
    <Group title="Show">
      <span className="flex flex-wrap items-center gap-1.5">
        <Segmented
          label="Raster"
          value={String(desk.show.width)}
          choices={[
            { value: "1920", label: "1920 × 1080" },
            { value: "1280", label: "1280 × 720" },
          ]}
          onChange={(width) => set({ width: width === "1280" ? 1280 : 1920 })}
        />
        <Segmented
          label="Rate"
          value={String(desk.show.rate)}
          choices={[
            { value: "60", label: "60" },
            { value: "50", label: "50" },
          ]}
          onChange={(rate) => set({ rate: rate === "50" ? 50 : 60 })}
        />
        <label className="flex items-center gap-1.5 text-ink-2">
          converts
          <NumberField
            label="Frames converted a second"
            units={{ fps: 1 }}
            value={desk.show.pace}
            min={0}
            max={1000}
            step={0.5}
            onCommit={(pace) => set({ pace })}
          />
          frames a second
        </label>
      </span>
      <p className="text-xs text-ink-2">Another raster or rate empties the memories. 0 converts at once.</p>
    </Group>
  );
}
