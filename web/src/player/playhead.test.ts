import { beforeEach, expect, it, vi } from "vitest";
import { follow, pause, play, setSpeed, show, turnRound, usePlayhead } from "./playhead";

let draw: (now: number) => void = () => undefined;
vi.stubGlobal("requestAnimationFrame", (next: typeof draw) => {
  draw = next;
  return 1;
});

const at = (now: number) => {
  draw(now);
  const { index, skipped } = usePlayhead.getState();
  return [index, skipped];
};

beforeEach(() => {
  pause();
  draw(0);
  setSpeed(100);
  follow([40, 100, 60], 0);
});

it("begins with the frame that is there, however old the display's picture is", () => {
  show(1);
  play();
  expect(at(performance.now() - 5)).toEqual([1, 0]);
});

it("goes on from there at its own pace, and counts what it could not show", () => {
  show(1);
  play();
  expect([1000, 1099, 1100, 1160, 1330].map(at)).toEqual([
    [1, 0],
    [1, 0],
    [2, 0],
    [0, 0],
    [2, 1],
  ]);
  expect([1360, 1400, 1500, 1560, 1600].map(at), "forgotten after a round without").toEqual([
    [0, 1],
    [1, 1],
    [2, 1],
    [0, 0],
    [1, 0],
  ]);
});

it("plays slower, and backwards", () => {
  setSpeed(50);
  show(1);
  play();
  expect([1000, 1199, 1200].map(at)).toEqual([
    [1, 0],
    [1, 0],
    [2, 0],
  ]);
  show(1);
  turnRound();
  expect([2000, 2199, 2201].map(at)).toEqual([
    [1, 0],
    [1, 0],
    [0, 0],
  ]);
  usePlayhead.setState({ backwards: false });
});
