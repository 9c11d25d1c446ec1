// For tests: parts of a recipe as a new project has them.

import type { Recipe } from "../api/client";
import type { Rhythm } from "./delays";
import { PLAIN } from "./tone";

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
  between: null,
  direction: "forward",
  dissolve: 0,
  cycles: 1,
  speed: "100",
  length: null,
  repeat: 0,
  ...more,
});

/** A framing as a new project has it. */
export const FRAMING: Recipe["framing"] = {
  crop: null,
  drawn_on: null,
  line_up: null,
  match: null,
  tone: PLAIN,
  tones: [],
  choke: 0,
  bleed: false,
};
