// How much of the picture a transition covers, frame by frame, and where the sources are best cut.

import { show, usePlayhead } from "../../player/playhead";
import { Button } from "../../ui/controls";
import type { PanelProps } from "./panel";

const [WIDE, HIGH] = [280, 44];

export function Cover({ bench, result, behind, outputs }: PanelProps) {
  const index = usePlayhead((state) => state.index);
  const opaque = result?.info.opaque ?? null;
  const check = outputs.find((one) => one.output.id === bench.output.id)?.check;
  if (!bench.output.target?.cover || !opaque || !check) return null;
  const { cut } = check;
  const each = WIDE / opaque.length;
  const line = opaque
    .map((share, at) => `L${at * each} ${HIGH * (1 - share)} L${(at + 1) * each} ${HIGH * (1 - share)}`)
    .join(" ");
  return (
    <section
      aria-label="Cover"
      className={`flex flex-col gap-1.5 border-t border-line pt-2.5 ${behind ? "opacity-60" : ""}`}
    >
      <h3 className="font-semibold">Cover</h3>
      <svg
        role="img"
        aria-label={
          cut === null ? "No frame covers all of the picture" : `Frame ${cut} is where the sources are cut`
        }
        viewBox={`0 -2 ${WIDE} ${HIGH + 4}`}
        className="w-full cursor-pointer rounded-[6px] bg-well"
        onClick={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          show(Math.floor(((event.clientX - box.left) / box.width) * opaque.length));
        }}
      >
        <path d={`M0 ${HIGH} ${line} L${WIDE} ${HIGH} Z`} className="fill-jay-pale/60 stroke-jay" />
        {opaque.map((share, at) =>
          share === 1 ? (
            <rect key={at} x={at * each} y={-2} width={each} height={5} className="fill-fine" />
          ) : null,
        )}
        {cut !== null && (
          <rect x={(cut - 0.5) * each - 1} y={-2} width={2} height={HIGH + 4} className="fill-stop" />
        )}
        <rect x={(index + 0.5) * each - 0.75} y={-2} width={1.5} height={HIGH + 4} className="fill-ink" />
      </svg>
      <p className="flex items-center justify-between gap-2">
        <span className="text-ink-2">
          frame {index + 1}: <span className="figure">{percent(opaque[index] ?? 0)} %</span> opaque
        </span>
        {cut !== null && (
          <Button className="h-[26px]! px-2!" onClick={() => show(cut - 1)}>
            Cut at frame {cut}
          </Button>
        )}
      </p>
    </section>
  );
}

/** Never a hundred unless it is. */
const percent = (share: number) => (share === 1 ? "100" : (Math.floor(share * 10_000) / 100).toFixed(2));
