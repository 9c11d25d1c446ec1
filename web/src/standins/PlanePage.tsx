// The lantern plane: an effect over a backdrop of light and dark, with the settings that a runtime has.

import { data } from "../api/client";
import { Button, Segmented, SliderRow } from "../ui/controls";
import { api, bare, type Plane } from "./api";
import { Group, Monitor, type Device } from "./parts";

export function PlanePage({ device }: { device: Device<Plane> }) {
  const { now: plane, act } = device;
  if (!plane) return <p className="text-ink-2">Asking the plane…</p>;
  const { setting, effect } = plane;
  const set = (change: Partial<Plane["setting"]>) =>
    void act(() => data(api.PUT("/api/plane/setting", { body: { ...setting, ...change } })));
  return (
    <div
      className={`grid gap-3 ${bare ? "grid-cols-[minmax(0,1.6fr)_minmax(0,1fr)]" : "grid-cols-[minmax(0,2fr)_minmax(0,1fr)]"}`}
    >
      <Monitor src="/api/monitor/plane" label={effect ? effect.title : "Nothing on the plane"} />
      <Group title="Effect">
        {effect ? (
          <p className="figure text-ink-2">
            {effect.frames} frames, {effect.width} × {effect.height}, {(effect.bytes / 1e6).toFixed(1)} MB
          </p>
        ) : (
          <p className="text-ink-2">Send a numbered set of PNG files, or a sheet with its JSON.</p>
        )}
        <SliderRow label="Rate" value={setting.rate} min={1} max={60} onChange={(rate) => set({ rate })} />
        <SliderRow
          label="Cut-off"
          value={setting.cutoff}
          min={0}
          max={255}
          onChange={(cutoff) => set({ cutoff })}
        />
        <p className="text-xs text-ink-2">
          With a cut-off, pixels of less alpha are not drawn and the others are solid: grey and white rims go.
        </p>
        <span className="flex items-center gap-2">
          <Segmented
            label="How often"
            value={setting.once ? "once" : "ever"}
            choices={[
              { value: "ever", label: "for ever" },
              { value: "once", label: "once, and rest" },
            ]}
            onChange={(next) => set({ once: next === "once" })}
          />
          <Button disabled={!effect} onClick={() => void act(() => data(api.POST("/api/plane/play")))}>
            Play again
          </Button>
        </span>
      </Group>
    </div>
  );
}
