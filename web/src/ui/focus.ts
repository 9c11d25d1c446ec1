// Which keys belong to what has the focus: what takes a key keeps it, all others are the screen's.

const LIKE_BUTTONS = ["checkbox", "radio", "button", "submit", "file", "color"];
const MOVES = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End"];
const PAGES = ["PageUp", "PageDown"];

/** Whether text is being typed there: all plain keys are its own. */
export function isTyping(target: EventTarget | null): boolean {
  if (target instanceof HTMLTextAreaElement) return true;
  return target instanceof HTMLInputElement && !LIKE_BUTTONS.includes(target.type);
}

/** Whether what has the focus does something of its own with a plain key. */
export function takesKey(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (isTyping(target)) return true;
  // What opened over the screen keeps it out: nothing behind it acts.
  const over = target.closest("[role='dialog'], [role='menu']");
  if (over && !over.hasAttribute("data-keys-pass")) return true;
  // A list is typed into to find an entry.
  if (target instanceof HTMLSelectElement)
    return key.length === 1 || ["Enter", ...MOVES, ...PAGES].includes(key);
  const role = target.getAttribute("role") ?? "";
  if (role === "slider") return [...MOVES, ...PAGES].includes(key);
  if (["tab", "radio", "option"].includes(role) && MOVES.includes(key)) return true;
  if (target instanceof HTMLInputElement && target.type === "radio" && MOVES.includes(key)) return true;
  const pressed =
    target instanceof HTMLButtonElement ||
    target instanceof HTMLInputElement ||
    target.tagName === "SUMMARY" ||
    ["button", "tab", "radio", "checkbox", "switch"].includes(role);
  return pressed ? key === " " || key === "Enter" : target instanceof HTMLAnchorElement && key === "Enter";
}
