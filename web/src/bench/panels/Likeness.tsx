// Beside the bytes what they buy: how like its frames the file is, and what stands out in it.

import { show } from "../../player/playhead";
import { Mark, Row, Tip } from "../../ui/controls";
import { standsOutWords, useLikeness } from "../likeness";
import { setView } from "../view";
import type { PanelProps } from "./panel";

export function Likeness({ result, behind }: Pick<PanelProps, "result" | "behind">) {
  const found = useLikeness(behind ? undefined : result);
  if (!result || result.info.format === "sheet") return null;
  const { whole, stands_out: out } = found ?? {};
  return (
    <>
      <Row label="Likeness">
        <span role="status" aria-label="Likeness" aria-busy={!whole} className="figure text-ink-2">
          {!whole ? (
            behind ? (
              "out of date"
            ) : (
              "measuring…"
            )
          ) : whole.psnr === null ? (
            "nothing is lost"
          ) : (
            <Tip text="PSNR and SSIM of the file against its frames">
              <span>
                {whole.psnr.toFixed(1)} dB
                {whole.ssim !== null && ` · SSIM ${whole.ssim.toFixed(4)}`}
              </span>
            </Tip>
          )}
        </span>
      </Row>
      {whole && whole.psnr !== null && (
        <Row label="Stands out">
          {out ? (
            <button
              type="button"
              title="Go there, source and result side by side"
              className="text-left text-xs font-semibold text-look underline-offset-2 hover:underline"
              onClick={() => {
                show(out.at);
                setView("wipe");
              }}
            >
              ▲ {standsOutWords(out, result.info)}
            </button>
          ) : (
            <Mark verdict="fine" word="nothing" />
          )}
        </Row>
      )}
    </>
  );
}
