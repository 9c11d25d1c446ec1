// For tests: a rhythm as a new project has it.

import type { Rhythm } from "./delays";

export const rhythm = (more: Partial<Rhythm> = {}): Rhythm => ({
  order: null,
  rate: "24",
  delay: null,
  holds: {},
  first: null,
  last: null,
  spans: [],
  step: 1,
  thinned: "faster",
  direction: "forward",
  dissolve: 0,
  cycles: 1,
  speed: "100",
  length: null,
  repeat: 0,
  ...more,
});
