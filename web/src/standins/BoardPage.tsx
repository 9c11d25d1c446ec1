// The departure board: animations and lines of text on a page that comes in and goes out.

import { useEffect, useState } from "react";
import { data } from "../api/client";
import { Button, Mark, NumberField, Row, Segmented, TextField } from "../ui/controls";
import { api, bare, type Board, type Page, type Placed, type TextLine } from "./api";
import { Group, Monitor, type Device } from "./parts";

const NEW_TEXT: TextLine = {
  text: "Ferry to the island 14:20",
  left: 160,
  top: 820,
  height: 72,
  colour: "#ffffff",
  delay: 40,
  fade: 18,
};
const MOST_TEXT = 400;

/** Another line: as the one above it, and under it for as long as the raster goes. */
function lineBelow(above: TextLine | undefined): TextLine {
  if (!above) return NEW_TEXT;
  const top = Math.min(above.top + Math.round(above.height * 1.25), 1080 - above.height);
  return { ...above, top, text: NEW_TEXT.text };
}

export function BoardPage({ device }: { device: Device<Board> }) {
  const { now: board, act } = device;
  if (!board) return <p className="text-ink-2">Asking the board…</p>;
  const { page } = board;
  const set = (change: Partial<Page>) =>
    void act(() => data(api.PUT("/api/board/page", { body: { ...page, ...change } })));
  const place = (index: number, change: Partial<Placed>) =>
    set({ animations: page.animations.map((one, at) => (at === index ? { ...one, ...change } : one)) });
  const write = (index: number, change: Partial<TextLine>) =>
    set({ texts: page.texts.map((one, at) => (at === index ? { ...one, ...change } : one)) });
  return (
    <div
      className={`grid gap-3 ${bare ? "grid-cols-[minmax(0,1.15fr)_minmax(0,1fr)]" : "grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]"}`}
    >
      <div className="flex min-w-0 flex-col gap-2.5">
        <Monitor
          src="/api/monitor/program"
          lit={board.state === "in"}
          label={board.state === "out" ? "Nothing on air" : board.state === "in" ? "On air" : "Going out"}
        />
        <div className="flex flex-wrap items-center gap-2.5">
          <Button
            look="strong"
            className="h-[34px]!"
            onClick={() => void act(() => data(api.POST("/api/board/take")))}
          >
            Take
          </Button>
          <Button
            className="h-[34px]!"
            disabled={board.state !== "in"}
            onClick={() => void act(() => data(api.POST("/api/board/out")))}
          >
            Out
          </Button>
          <span className="flex items-center gap-1.5 text-ink-2">
            in
            <NumberField
              label="Fade in"
              value={page.fade_in}
              min={0}
              max={250}
              onCommit={(fade_in) => set({ fade_in })}
            />
            out
            <NumberField
              label="Fade out"
              value={page.fade_out}
              min={0}
              max={250}
              onCommit={(fade_out) => set({ fade_out })}
            />
            frames
          </span>
        </div>
      </div>
      <div className="flex min-w-0 flex-col gap-2.5">
        {!bare && <Prepared page={page} />}
        {page.animations.length === 0 && page.texts.length === 0 && (
          <p className="text-ink-2">The page is empty: bring a numbered set, or add a line of text.</p>
        )}
        {page.animations.map((placed, index) => {
          const info = board.animations.find(({ id }) => id === placed.id);
          return (
            <Group
              key={placed.id}
              title={info?.title ?? `Animation ${placed.id}`}
              onRemove={() =>
                void act(() =>
                  data(api.DELETE("/api/animations/{number}", { params: { path: { number: placed.id } } })),
                )
              }
            >
              <p className="figure text-xs text-ink-2">
                {info?.frames} frames, {info?.width} × {info?.height}
              </p>
              <Row label="Place">
                <NumberField
                  label={`Left of ${placed.id}`}
                  units={{ px: 1 }}
                  value={placed.left}
                  min={-1920}
                  max={1920}
                  onCommit={(left) => place(index, { left })}
                />
                <NumberField
                  label={`Top of ${placed.id}`}
                  units={{ px: 1 }}
                  value={placed.top}
                  min={-1080}
                  max={1080}
                  onCommit={(top) => place(index, { top })}
                />
              </Row>
              <Row label="Plays">
                <Segmented
                  label={`How often ${placed.id} plays`}
                  value={placed.repeat === 0 ? "ever" : "times"}
                  choices={[
                    { value: "ever", label: "for ever" },
                    { value: "times", label: "times" },
                  ]}
                  onChange={(next) => place(index, { repeat: next === "ever" ? 0 : 1 })}
                />
                {placed.repeat > 0 && (
                  <NumberField
                    label={`Times ${placed.id} plays`}
                    value={placed.repeat}
                    min={1}
                    max={65535}
                    onCommit={(repeat) => place(index, { repeat })}
                  />
                )}
              </Row>
            </Group>
          );
        })}
        {page.texts.map((line, index) => (
          <Group
            key={index}
            title={`Line ${index + 1}`}
            onRemove={() => set({ texts: page.texts.filter((_, at) => at !== index) })}
          >
            <TextField
              label={`Text of line ${index + 1}`}
              value={line.text}
              className="w-full font-sans!"
              read={(text) => (text.trim() && text.length <= MOST_TEXT ? text : null)}
              why={`A text of up to ${MOST_TEXT} characters.`}
              onCommit={(text) => write(index, { text })}
            />
            <Row label="Place">
              <NumberField
                label={`Left of line ${index + 1}`}
                units={{ px: 1 }}
                value={line.left}
                min={0}
                max={1919}
                onCommit={(left) => write(index, { left })}
              />
              <NumberField
                label={`Top of line ${index + 1}`}
                units={{ px: 1 }}
                value={line.top}
                min={0}
                max={1079}
                onCommit={(top) => write(index, { top })}
              />
              <span className="text-ink-2">high</span>
              <NumberField
                label={`Height of line ${index + 1}`}
                units={{ px: 1 }}
                value={line.height}
                min={8}
                max={400}
                onCommit={(height) => write(index, { height })}
              />
            </Row>
            <Row label="Comes in">
              <span className="text-ink-2">after</span>
              <NumberField
                label={`Delay of line ${index + 1}, seconds`}
                units={{ s: 1, ms: 0.001 }}
                value={line.delay / board.rate}
                min={0}
                max={100}
                step={0.02}
                onCommit={(seconds) => write(index, { delay: Math.round(seconds * board.rate) })}
              />
              <span className="text-ink-2">s, over</span>
              <NumberField
                label={`Fade of line ${index + 1}, frames`}
                value={line.fade}
                min={0}
                max={250}
                onCommit={(fade) => write(index, { fade })}
              />
              <span className="text-ink-2">frames</span>
            </Row>
          </Group>
        ))}
        <span>
          <Button
            disabled={page.texts.length >= 8}
            onClick={() => set({ texts: [...page.texts, lineBelow(page.texts.at(-1))] })}
          >
            Add a line of text
          </Button>
        </span>
      </div>
    </div>
  );
}

/** The page as it will rest; fetched anew when it changes. */
function Prepared({ page }: { page: Page }) {
  const [shown, setShown] = useState(0);
  const text = JSON.stringify(page);
  useEffect(() => setShown((now) => now + 1), [text]);
  return (
    <figure className="overflow-hidden rounded-[10px] border-[3px] border-line bg-black">
      <img src={`/api/prepared?width=640&shown=${shown}`} alt="Prepared" className="aspect-video w-full" />
      <figcaption className="bg-card px-2.5 py-1 text-xs font-semibold">
        <Mark verdict="fine" word="Prepared" />
      </figcaption>
    </figure>
  );
}
