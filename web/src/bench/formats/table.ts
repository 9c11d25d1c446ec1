// All formats: one that is missing here does not compile.

import type { Output } from "../../api/client";
import { apng } from "./apng";
import { avif } from "./avif";
import type { Format, FormatView } from "./format";
import { frames } from "./frames";
import { gif } from "./gif";
import { sheet } from "./sheet";
import { still } from "./still";
import { video } from "./video";
import { webp } from "./webp";

export const FORMATS: { [F in Format]: FormatView<F> } = { gif, apng, webp, avif, video, frames, still, sheet };

/** What is known of an output's format. The table has for each just the view of its own kind. */
export const viewOf = (output: Output) => FORMATS[output.format] as unknown as FormatView<Format>;
