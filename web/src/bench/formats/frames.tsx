// A numbered set of pictures: of which kind, and how they are named.

import { NumberField, Row, Segmented, Select, SliderRow, TextField } from "../../ui/controls";
import { LookRow } from "./sheet";
import type { FormatView, Of, TuneProps } from "./format";

type Pixels = Of<"frames">["pixels"];
type Picture = Of<"frames">["picture"];

const PIXELS: Record<Pixels, string> = {
  rgba: "RGBA, straight alpha",
  rgb: "RGB, no alpha",
  premultiplied: "RGBA, premultiplied",
  grey: "Grey",
  palette: "Palette of 256",
};
const TAKES: Record<Picture, readonly Pixels[]> = {
  png: ["rgba", "rgb", "premultiplied", "grey", "palette"],
  tga: ["rgba", "rgb", "premultiplied"],
  bmp: ["rgb", "grey"],
  jpeg: ["rgb", "grey"],
};
const ENDINGS: Record<Picture, string> = { png: ".png", tga: ".tga", bmp: ".bmp", jpeg: ".jpg" };
const keepsAlpha = (pixels: Pixels) => pixels !== "rgb" && pixels !== "grey";

export const frames: FormatView<"frames"> = {
  title: ({ picture }) => `${picture.toUpperCase()} frames`,
  tuning: ({ picture, pixels }) => ({ figure: picture.toUpperCase(), beside: PIXELS[pixels] }),
  Panel: FramesPanel,
  ending: () => ".zip",
  alpha: ({ pixels }) => (keepsAlpha(pixels) ? "soft" : "none"),
  player: () => "service",
};

function FramesPanel({ panel, output, tune }: TuneProps<"frames">) {
  const under = (pixels: Pixels) => (keepsAlpha(pixels) ? output.over : (output.over ?? "#ffffff"));
  const hashes = output.names.split("#").length - 1;
  const first = output.names.replace(/#+/, String(output.first_number).padStart(hashes, "0"));
  return (
    <>
      <LookRow
        choices={[
          { value: "frames", label: "Frames" },
          { value: "scene", label: "Scene" },
        ]}
      />
      <Row label="Pictures">
        <Segmented
          label="Pictures"
          value={output.picture}
          choices={[
            { value: "png", label: "PNG" },
            { value: "tga", label: "TGA" },
            { value: "bmp", label: "BMP" },
            { value: "jpeg", label: "JPEG" },
          ]}
          onChange={(picture) => {
            const pixels = TAKES[picture].includes(output.pixels)
              ? output.pixels
              : (TAKES[picture][0] ?? "rgb");
            tune({ picture, pixels, over: under(pixels) }, `Pictures: ${picture.toUpperCase()}`);
          }}
        />
      </Row>
      <Row label="Pixels">
        <Select
          label="Pixels"
          value={output.pixels}
          choices={TAKES[output.picture].map((value) => ({ value, label: PIXELS[value] }))}
          onChange={(pixels) => tune({ pixels, over: under(pixels) }, `Pixels: ${PIXELS[pixels]}`)}
        />
      </Row>
      {output.picture === "tga" && (
        <Row label="Coding">
          <Segmented
            label="Coding"
            value={output.rle ? "rle" : "raw"}
            choices={[
              { value: "raw", label: "raw" },
              { value: "rle", label: "run-length" },
            ]}
            onChange={(how) => tune({ rle: how === "rle" }, `TGA: ${how}`)}
          />
        </Row>
      )}
      {output.picture === "jpeg" && (
        <SliderRow
          label="Quality"
          value={output.quality}
          min={0}
          max={100}
          onChange={(quality, gesture) => tune({ quality }, `Quality to ${quality}`, gesture)}
          onRelease={panel.bench.release}
        />
      )}
      <Row label="Names">
        <TextField
          label="Names"
          value={output.names}
          read={(text) =>
            /^[^/\\#\p{Cc}]*#{1,9}[^/\\#\p{Cc}]*$/u.test(text.trim()) && text.trim().length <= 100
              ? text.trim()
              : null
          }
          why="A name with # for each digit of the number: gull_####."
          className="w-[150px]"
          onCommit={(names) => tune({ names }, `Named ${names}`)}
        />
      </Row>
      <Row label="From">
        <NumberField
          label="First number"
          value={output.first_number}
          min={0}
          max={999_999}
          onCommit={(first_number) => tune({ first_number }, `From number ${first_number}`)}
        />
        <span className="figure truncate text-xs text-ink-2">
          {first}
          {ENDINGS[output.picture]} …
        </span>
      </Row>
      <Row label="Held frames">
        <Segmented
          label="Held frames"
          value={output.held}
          choices={[
            { value: "once", label: "once" },
            { value: "repeated", label: "repeated", tip: "Again and again, at a constant rate" },
          ]}
          onChange={(held) => tune({ held }, `Held frames: ${held}`)}
        />
      </Row>
    </>
  );
}
