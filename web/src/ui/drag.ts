// A pointer held down and moved: followed wherever it goes until it is let go.

import type { PointerEvent } from "react";

/** Follow the pointer that went down; `moved` is told of each step, `over` once it is let go. */
export function follow(
  down: PointerEvent<HTMLElement>,
  moved: (event: globalThis.PointerEvent) => void,
  over: () => void = () => undefined,
): void {
  const element = down.currentTarget;
  element.setPointerCapture(down.pointerId);
  const end = () => {
    element.removeEventListener("pointermove", moved);
    element.removeEventListener("pointerup", end);
    element.removeEventListener("pointercancel", end);
    over();
  };
  element.addEventListener("pointermove", moved);
  element.addEventListener("pointerup", end);
  element.addEventListener("pointercancel", end);
}
