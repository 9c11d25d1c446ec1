// One cut-out moved over a backdrop: its copies become the frames.

import { useEffect, useState } from "react";
import { Button, NumberField, Row, Select } from "../../ui/controls";
import type { Bench } from "../edits";
import { setFlight, useFlight, type Easing, type Stand } from "../flight";
import { useViews } from "../views";

const EASINGS: readonly { value: Easing; label: string }[] = [
  { value: "even", label: "even" },
  { value: "in", label: "speeding up" },
  { value: "out", label: "slowing down" },
  { value: "both", label: "both" },
];

export function Fly({ bench }: { bench: Bench }) {
  const { project } = bench;
  const { open, flight } = useFlight();
  const [making, setMaking] = useState(false);
  useEffect(() => () => useFlight.setState({ open: false }), []);
  const begin = () => {
    const clear = project.frame_list.findIndex((frame) => frame.transparent) + 1 || 1;
    const under = project.frame_list.findIndex((frame) => !frame.transparent) + 1;
    const backdrop = under === clear ? 0 : under;
    const ground = project.frame_list[(backdrop || clear) - 1] ?? project;
    const stand = { y: Math.round(ground.height / 2), scale: 1, turn: 0, opacity: 1 };
    setFlight({
      cutOut: clear,
      backdrop,
      start: { ...stand, x: Math.round(ground.width / 4) },
      end: { ...stand, x: Math.round((ground.width * 3) / 4) },
    });
    useViews.setState({ open: false });
    useFlight.setState({ open: true });
  };
  const make = async () => {
    setMaking(true);
    if (await bench.fly(flight)) useFlight.setState({ open: false });
    setMaking(false);
  };
  return (
    <div className="flex flex-col gap-2 border-t border-line pt-2.5">
      <span className="flex items-center justify-between">
        <h3 className="font-semibold">Cut-out over a backdrop</h3>
        <Button
          className="h-[26px]!"
          aria-expanded={open}
          onClick={() => (open ? useFlight.setState({ open: false }) : begin())}
        >
          {open ? "Close" : "Move it…"}
        </Button>
      </span>
      {open && (
        <>
          <Row label="Cut-out">
            <NumberField
              label="Cut-out frame"
              value={flight.cutOut}
              min={1}
              max={project.frames}
              onCommit={(cutOut) => setFlight({ cutOut })}
            />
            <span className="text-ink-2">over</span>
            <NumberField
              label="Backdrop frame"
              value={flight.backdrop}
              min={0}
              max={project.frames}
              onCommit={(backdrop) => setFlight({ backdrop })}
            />
            {flight.backdrop === 0 && <span className="text-ink-2">nothing</span>}
          </Row>
          <Row label="Frames">
            <NumberField
              label="Frames in the move"
              value={flight.count}
              min={2}
              max={600}
              onCommit={(count) => setFlight({ count })}
            />
            <Select
              label="Easing"
              value={flight.easing}
              choices={EASINGS}
              onChange={(easing) => setFlight({ easing })}
            />
          </Row>
          <div className="grid grid-cols-[40px_repeat(5,minmax(0,1fr))] items-center gap-1 text-xs text-ink-2">
            <span />
            {["x", "y", "size %", "angle", "opacity"].map((name) => (
              <span key={name} className="text-right">
                {name}
              </span>
            ))}
            <Fields name="Start" stand={flight.start} onChange={(start) => setFlight({ start })} />
            <Fields name="End" stand={flight.end} onChange={(end) => setFlight({ end })} />
          </div>
          <Button look="strong" className="self-start" disabled={making} onClick={() => void make()}>
            {making ? "Making…" : `Make ${flight.count} frames`}
          </Button>
          <p className="text-xs text-ink-2">The pictures stay as they are; undo brings them back.</p>
        </>
      )}
    </div>
  );
}

function Fields({ name, stand, onChange }: { name: string; stand: Stand; onChange: (stand: Stand) => void }) {
  const field = (key: keyof Stand, label: string, min: number, max: number, factor = 1) => (
    <NumberField
      label={`${name} ${label}`}
      units={key === "turn" ? { "°": 1 } : factor === 100 ? { "%": 1 } : { px: 1 }}
      value={Math.round(stand[key] * factor)}
      min={min}
      max={max}
      className="w-full px-1! text-right"
      onCommit={(value) => onChange({ ...stand, [key]: value / factor })}
    />
  );
  return (
    <>
      <span>{name}</span>
      {field("x", "x", -65_536, 65_536)}
      {field("y", "y", -65_536, 65_536)}
      {field("scale", "size", 1, 1000, 100)}
      {field("turn", "angle", -3600, 3600)}
      {field("opacity", "opacity", 0, 100, 100)}
    </>
  );
}
