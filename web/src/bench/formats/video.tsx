// A silent clip: its codec, quality or size, and how long it plays.

import { FLICKS, LENGTHS_ARE, parseLength, seconds } from "../../format";
import { KILOBYTES, NumberField, Row, Select, SliderRow, TextField } from "../../ui/controls";
import type { FormatView, Of, TuneProps } from "./format";

type Codec = Of<"video">["codec"];

const CODECS: Record<Codec, { title: string; label: string; ending: string }> = {
  h264: { title: "MP4", label: "MP4, H.264", ending: ".mp4" },
  vp9: { title: "WebM", label: "WebM, VP9", ending: ".webm" },
  prores: { title: "MOV", label: "MOV, ProRes 4444", ending: ".mov" },
  png: { title: "MOV", label: "MOV, lossless PNG", ending: ".mov" },
  qtrle: { title: "MOV", label: "MOV, lossless RLE", ending: ".mov" },
};
const shared = (codec: Codec) => codec === "h264" || codec === "vp9";

export const video: FormatView<"video"> = {
  title: ({ codec }) => CODECS[codec].title,
  tuning: ({ codec, quality }) =>
    shared(codec)
      ? { figure: String(quality), beside: "quality" }
      : { figure: codec === "prores" ? "ProRes" : "Lossless", beside: codec === "prores" ? "4444" : "" },
  Panel: VideoPanel,
  ending: ({ codec }) => CODECS[codec].ending,
  alpha: ({ codec }) => (codec === "h264" ? "none" : "soft"),
  player: ({ codec }) => (shared(codec) ? "clip" : "service"),
};

function VideoPanel({ panel, output, tune }: TuneProps<"video">) {
  const { bench } = panel;
  const recode = (codec: Codec) => {
    const file_name = output.file_name.replace(/\.[^.]*$/, CODECS[codec].ending);
    // MP4 has no alpha: what is transparent lies over a colour from now on.
    const over = codec === "h264" ? (output.over ?? "#ffffff") : output.over;
    tune({ codec, file_name, over }, `Clip: ${CODECS[codec].label}`);
  };
  return (
    <>
      <Row label="Clip">
        <Select
          label="Clip"
          value={output.codec}
          choices={Object.entries(CODECS).map(([value, { label }]) => ({ value: value as Codec, label }))}
          onChange={recode}
        />
      </Row>
      {shared(output.codec) && (
        <>
          <SliderRow
            label="Quality"
            value={output.quality}
            min={0}
            max={100}
            onChange={(quality, gesture) => tune({ quality }, `Quality to ${quality}`, gesture)}
            onRelease={bench.release}
          />
          <Row label="At most">
            <NumberField
              label="Largest size of the clip in KB"
              units={KILOBYTES}
              value={output.most_bytes === null ? null : Math.round(output.most_bytes / 1024)}
              min={1}
              max={4_000_000}
              placeholder="any"
              className="w-[72px] text-right"
              onCommit={(most) => tune({ most_bytes: most * 1024 }, `At most ${most} KB`)}
              onClear={() => tune({ most_bytes: null }, "Any size")}
            />
            <span className="text-ink-2">KB</span>
          </Row>
        </>
      )}
      <Row label="Plays">
        <NumberField
          label="Plays"
          value={output.plays}
          min={1}
          max={1000}
          onCommit={(plays) => tune({ plays, length: null }, `Plays ${plays} times`)}
        />
        <span className="text-ink-2">times</span>
      </Row>
      <Row label="Or for">
        <TextField
          label="Length of the clip"
          value={output.length === null ? "" : `${seconds((output.length * 1000) / FLICKS)} s`}
          placeholder="length"
          read={(text) => (text.trim() === "" || parseLength(text) !== null ? text.trim() : null)}
          why={LENGTHS_ARE}
          className="w-[76px]"
          onCommit={(text) => tune({ length: parseLength(text) }, text ? `Clip of ${text}` : "Whole rounds")}
        />
      </Row>
    </>
  );
}
