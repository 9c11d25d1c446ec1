// Beside the bytes what they buy: how like its frames the file is, and what stands out in it.

import { Mark, Row, Tip } from "../../ui/controls";
import { goTo, standsOutWords, useLikeness } from "../likeness";
import { setView } from "../view";
import type { LikenessInfo } from "../../api/client";
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
                goTo(out);
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

const kb = (bytes: number) => (bytes / 1024).toFixed(bytes < 10_240 ? 1 : 0);

/** What the file's bytes are spent on. */
export function SpentOn({ result, behind }: Pick<PanelProps, "result" | "behind">) {
  const spent = useLikeness(behind ? undefined : result)?.spent;
  if (!spent) return null;
  const parts = [
    ["palettes", spent.palettes, "bg-buff"],
    ["pictures", spent.pictures, "bg-jay"],
    ["rest", spent.rest, "bg-ink-3"],
  ] as const satisfies readonly (readonly [keyof NonNullable<LikenessInfo["spent"]>, number, string])[];
  return (
    <Row label="Spent on">
      <span role="status" aria-label="Spent on" className="flex min-w-0 grow flex-col gap-1 text-xs text-ink-2">
        <span aria-hidden className="flex h-[6px] overflow-hidden rounded-full">
          {parts.map(([name, bytes, colour]) => (
            <span key={name} className={colour} style={{ flexGrow: bytes, minWidth: bytes > 0 ? 2 : 0 }} />
          ))}
        </span>
        <span className="text-[11px] whitespace-nowrap">
          {parts
            .filter(([, bytes]) => bytes > 0)
            .map(([name, bytes]) => `${name} ${kb(bytes)}`)
            .join(" · ")}{" "}
          KB
        </span>
      </span>
    </Row>
  );
}
