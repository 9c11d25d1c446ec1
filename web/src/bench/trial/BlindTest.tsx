// Two trials without their names: which is better is answered round by round, which was which is said at the end.

import { useState } from "react";
import type { TrialInfo } from "../../api/client";
import { size } from "../../format";
import { Button } from "../../ui/controls";
import type { Bench } from "../edits";
import { useWords } from "../trials";
import { nextRound, outcome, type Blind, type Side } from "./look";
import { SideBySide, type Ground, type Half } from "./Pair";

const begun = (): Blind => ({ flipped: Math.random() < 0.5, answers: [], over: false });

export function BlindTest({
  bench,
  trials: [left, right],
  halves,
  ground,
}: {
  bench: Bench;
  trials: readonly [TrialInfo, TrialInfo];
  halves: readonly [Half, Half];
  ground: Ground;
}) {
  const [blind, setBlind] = useState(begun);
  const say = useWords(bench);
  const [first, second] = blind.flipped ? [halves[1], halves[0]] : halves;
  const [a, b] = blind.flipped ? [right, left] : [left, right];
  const answer = (better: Side | null) => setBlind(nextRound(blind, better, Math.random()));
  const named = (letter: string, half: Half): Half => ({
    frames: half.frames,
    error: half.error,
    label: (
      <span className="rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-bold text-[#fffdf9]">
        {letter}
      </span>
    ),
  });
  const came = outcome(blind, left, right);
  return (
    <div className="grid min-h-0 grid-rows-[minmax(0,1fr)_auto] gap-2">
      <SideBySide left={named("A", first)} right={named("B", second)} ground={ground} />
      <div
        role="group"
        aria-label="Blind comparison"
        className="flex min-h-[36px] flex-wrap items-center justify-center gap-2 rounded-[8px] bg-card px-3 py-1"
      >
        {blind.over ? (
          <>
            <span role="status" aria-label="Which was which">
              A was <b className="figure">{a.number}</b>, {size(a.bytes)}; B was{" "}
              <b className="figure">{b.number}</b>, {size(b.bytes)}. {blind.answers.length > 0 && <b>{came}</b>}
            </span>
            {blind.answers.length > 0 && (
              <Button
                className="h-[26px]! px-2!"
                onClick={() =>
                  say(right, {
                    note: [right.note, `blind, ${left.number} and ${right.number}: ${came}`]
                      .filter(Boolean)
                      .join("; ")
                      .slice(-400),
                  })
                }
              >
                Save as note
              </Button>
            )}
            <Button className="h-[26px]! px-2!" onClick={() => setBlind(begun)}>
              Again
            </Button>
          </>
        ) : (
          <>
            <span className="text-ink-2">
              Which is better?{blind.answers.length > 0 && ` Round ${blind.answers.length + 1}.`}
            </span>
            <Button className="h-[26px]! px-2!" onClick={() => answer("left")}>
              A is better
            </Button>
            <Button className="h-[26px]! px-2!" onClick={() => answer("right")}>
              B is better
            </Button>
            <Button className="h-[26px]! px-2!" onClick={() => answer(null)}>
              Can’t tell
            </Button>
            <Button
              look="quiet"
              className="h-[26px]! px-2!"
              onClick={() => setBlind((so) => ({ ...so, over: true }))}
            >
              Reveal
            </Button>
          </>
        )}
      </div>
    </div>
  );
}
