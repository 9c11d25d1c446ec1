// What the bench needs to know of a format: how it is called, what is tuned, and the controls for it.

import type { ComponentType } from "react";
import type { Output } from "../../api/client";
import type { Player } from "../../player/frames";
import type { PanelProps } from "../panels/panel";

export type Format = Output["format"];
export type Of<F extends Format> = Extract<Output, { format: F }>;

export interface FormatView<F extends Format> {
  /** What it is called: the kind of file. */
  title: (output: Of<F>) => string;
  /** Its tuning in a figure and a few words. */
  tuning: (output: Of<F>) => { figure: string; beside: string };
  /** The controls that spend its bytes. */
  Panel: ComponentType<TuneProps<F>>;
  /** The usual ending of its file name. */
  ending: (output: Of<F>) => string;
  /** What it has of alpha: one bit settled by its own controls, all of it, or none. */
  alpha: (output: Of<F>) => "bit" | "soft" | "none";
  /** Whether its pictures are decoded by the browser from the file itself, or fetched from the service. */
  player: (output: Of<F>) => Player;
}

export interface TuneProps<F extends Format> {
  panel: PanelProps;
  output: Of<F>;
  /** Change its settings. */
  tune: (change: Partial<Of<F>>, label: string, gesture?: string) => void;
}
