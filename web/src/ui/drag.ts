// What is moved by hand: a pointer held down is followed wherever it goes until it is let go; arrow keys step, and
// Escape puts back what is being pulled.

import type { KeyboardEvent, PointerEvent } from "react";

/**
 * Follow the pointer that went down; `moved` is told of each step, `over` once it is let go, and whether Escape ended
 * it: then all is to be as it was.
 */
export function follow(
  down: PointerEvent<HTMLElement>,
  moved: (event: globalThis.PointerEvent) => void,
  over: (calledOff: boolean) => void = () => undefined,
): void {
  const element = down.currentTarget;
  element.setPointerCapture(down.pointerId);
  const end = (calledOff: boolean) => {
    element.removeEventListener("pointermove", moved);
    element.removeEventListener("pointerup", letGo);
    element.removeEventListener("pointercancel", letGo);
    window.removeEventListener("keydown", key, { capture: true });
    over(calledOff);
  };
  const letGo = () => end(false);
  const key = (event: globalThis.KeyboardEvent) => {
    if (event.key !== "Escape") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    element.releasePointerCapture(down.pointerId);
    end(true);
  };
  element.addEventListener("pointermove", moved);
  element.addEventListener("pointerup", letGo);
  element.addEventListener("pointercancel", letGo);
  window.addEventListener("keydown", key, { capture: true });
}

/**
 * Where an arrow key moves what has the focus, across and down; null for any other key. The key goes no further.
 * A step is 1, with Shift 10, unless it is told.
 */
export function arrowStep(event: KeyboardEvent, far = event.shiftKey ? 10 : 1): [number, number] | null {
  const steps: Record<string, [number, number]> = {
    ArrowLeft: [-far, 0],
    ArrowRight: [far, 0],
    ArrowUp: [0, -far],
    ArrowDown: [0, far],
  };
  const step = steps[event.key];
  if (!step) return null;
  event.preventDefault();
  event.stopPropagation();
  return step;
}
