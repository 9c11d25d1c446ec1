// Focus that would be lost to the page, since what had it goes or is switched off, goes on to what is nearest there.

import { useLayoutEffect, useRef } from "react";

/** What keyboards stop at. */
export const STOPS =
  "button:not([disabled]), input:not([disabled]), select:not([disabled]), textarea:not([disabled]), summary, a[href], [tabindex='0']";

/** How long another screen is waited for, in ms. */
const PATIENT = 10_000;

const follows = (one: Node, other: Node) =>
  Boolean(one.compareDocumentPosition(other) & Node.DOCUMENT_POSITION_FOLLOWING);

/** The place in the page that something has, or had when it was taken out of it. */
interface Place {
  within: Element;
  /** What follows; null at the end. */
  next: Node | null;
}

/**
 * The stop that is nearest to a place: what comes next in the smallest group that has any, or else the last before. Of
 * a panel that took the place of another the heading: no control of it shall take keys that are the screen's.
 */
function nearest(place: Place): HTMLElement | null {
  let { within, next } = place;
  const left = within.closest("[role='tabpanel'][hidden]");
  const heading = left?.parentElement?.querySelector<HTMLElement>("[role='tabpanel']:not([hidden]) h2");
  if (heading) return heading;
  for (;;) {
    const stops = [...within.querySelectorAll<HTMLElement>(STOPS)].filter((one) => one.checkVisibility());
    if (within.matches("body, main") || !within.isConnected) return document.querySelector<HTMLElement>("h1");
    const after = next && stops.find((one) => next?.contains(one) === true || (next && follows(next, one)));
    const found = after ?? stops.at(-1);
    if (found) return found;
    next = within.nextSibling;
    if (!within.parentElement) return null;
    within = within.parentElement;
  }
}

/** Give something the focus, also where keyboards do not stop at it. */
export function focusOn(element: HTMLElement): void {
  if (element.tabIndex < 0 && !element.hasAttribute("tabindex")) element.tabIndex = -1;
  element.focus({ preventScroll: true });
}

/** Give the focus to what is about to come, as soon as it is there. */
export function focusWhenThere(selector: string, until = performance.now() + PATIENT): void {
  const element = document.querySelector<HTMLElement>(selector);
  if (element) focusOn(element);
  else if (performance.now() < until) requestAnimationFrame(() => focusWhenThere(selector, until));
}

/** What had the focus before something came has it again when that is gone. */
export function useFocusBack(): void {
  const before = useRef(document.activeElement);
  // a plain effect would be cleaned up after the focus has gone elsewhere
  useLayoutEffect(
    () => () => {
      const { current } = before;
      requestAnimationFrame(() => {
        const lost = document.activeElement === document.body;
        if (lost && current instanceof HTMLElement && current.isConnected && current !== document.body)
          focusOn(current);
      });
    },
    [],
  );
}

export function startRefocus(): void {
  /** What has the focus, or had it when it was lost. */
  let last: HTMLElement | null = null;
  let place: Place | null = null;
  let asked = false;
  let until = 0;
  /** What a mouse took away needs no other place for the keys: they are the screen's. */
  let byHand = false;

  const settle = () => {
    asked = false;
    const { activeElement } = document;
    const lost = activeElement === null || activeElement === document.body;
    if (lost && last?.isConnected && last.matches(STOPS)) last.focus({ preventScroll: true });
    else if (place && last && (lost || activeElement === last)) {
      const found = nearest(place);
      if (found) focusOn(found);
      else if (performance.now() < until) {
        setTimeout(ask, 50); // a new screen is on its way
        return;
      }
    }
    place = null;
  };
  const lose = (where: Place) => {
    if (byHand) return;
    place = where;
    until = performance.now() + PATIENT;
    ask();
  };
  const ask = () => {
    if (asked) return;
    asked = true;
    // whoever moves the focus on purpose does so before
    requestAnimationFrame(() => setTimeout(settle));
  };

  document.addEventListener("keydown", () => (byHand = false), true);
  document.addEventListener("pointerdown", (event) => (byHand = event.pointerType !== "touch"), true);
  document.addEventListener("focusin", ({ target }) => {
    last = target instanceof HTMLElement ? target : null;
    place = null;
  });
  document.addEventListener("focusout", ({ target, relatedTarget }) => {
    if (relatedTarget !== null) return;
    // Given up on purpose, unless it turns out to be gone.
    setTimeout(() => {
      const there = target instanceof HTMLElement && target.isConnected && target.matches(STOPS);
      if (there && target === last && document.activeElement !== last && document.hasFocus() && !asked)
        last = null;
    });
  });
  new MutationObserver((records) => {
    for (const record of records) {
      if (!last) return;
      if (record.type === "attributes") {
        if (record.target === last && !last.matches(STOPS) && last.parentElement)
          lose({ within: last.parentElement, next: last.nextSibling });
        continue;
      }
      const gone = place?.within.isConnected === false ? place.within : last;
      for (const node of record.removedNodes)
        if (node.contains(gone) && record.target instanceof Element)
          lose({ within: record.target, next: record.nextSibling });
    }
  }).observe(document.body, {
    childList: true,
    subtree: true,
    attributes: true,
    attributeFilter: ["disabled"],
  });
}
