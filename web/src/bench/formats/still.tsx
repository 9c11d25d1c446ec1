// One frame as a picture.

import { NumberField, Row, Segmented, SliderRow } from "../../ui/controls";
import type { FormatView, Of, TuneProps } from "./format";

const ENDINGS: Record<Of<"still">["picture"], string> = { png: ".png", jpeg: ".jpg", webp: ".webp" };

export const still: FormatView<"still"> = {
  title: ({ picture }) => `${{ png: "PNG", jpeg: "JPEG", webp: "WebP" }[picture]} still`,
  tuning: ({ picture, quality, frame }) => ({
    figure: picture === "png" ? "Lossless" : String(quality),
    beside: `${picture === "png" ? "" : "quality, "}frame ${frame}`,
  }),
  Panel: StillPanel,
  ending: ({ picture }) => ENDINGS[picture],
  alpha: ({ picture }) => (picture === "jpeg" ? "none" : "soft"),
  player: () => "still",
};

function StillPanel({ panel, output, tune }: TuneProps<"still">) {
  return (
    <>
      <Row label="Picture">
        <Segmented
          label="Picture"
          value={output.picture}
          choices={[
            { value: "png", label: "PNG" },
            { value: "jpeg", label: "JPEG" },
            { value: "webp", label: "WebP" },
          ]}
          onChange={(picture) => {
            const file_name = output.file_name.replace(/\.[^.]*$/, ENDINGS[picture]);
            const over = picture === "jpeg" ? (output.over ?? "#ffffff") : output.over;
            tune({ picture, file_name, over }, `Picture: ${picture.toUpperCase()}`);
          }}
        />
      </Row>
      <Row label="Frame">
        <NumberField
          label="Frame"
          value={output.frame}
          min={1}
          max={20_000}
          onCommit={(frame) => tune({ frame }, `Frame ${frame}`)}
        />
        <span className="text-ink-2">of those below</span>
      </Row>
      {output.picture !== "png" && (
        <SliderRow
          label="Quality"
          value={output.quality}
          min={0}
          max={100}
          onChange={(quality, gesture) => tune({ quality }, `Quality to ${quality}`, gesture)}
          onRelease={panel.bench.release}
        />
      )}
    </>
  );
}
