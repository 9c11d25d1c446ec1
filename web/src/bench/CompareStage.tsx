// Two frames blended, beside what moves between them, and where nothing could be followed.

import { sourceUrl, type ResultInfo } from "../api/client";
import { usePlayhead } from "../player/playhead";
import { pairAt } from "./between";

export function CompareStage({ result }: { result: ResultInfo | undefined }) {
  const index = usePlayhead((state) => (state.playing ? -1 : state.index));
  const pair = pairAt(result, Math.max(0, index));
  const pictures =
    result && pair
      ? ([
          ["blended", sourceUrl(result, `${pair[0]}x128+${pair[1]}x128`)],
          ["moved", sourceUrl(result, `${pair[0]}x128~${pair[1]}x128`)],
          ["torn: blended there", `${sourceUrl(result, `${pair[0]}x128~${pair[1]}x128`)}&torn=true`],
        ] as const)
      : [];
  return (
    <section
      aria-label="In-betweens compared"
      className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage"
    >
      <div className="absolute inset-4 top-11 grid grid-cols-2 grid-rows-2 gap-3">
        {pictures.map(([name, address]) => (
          <figure key={name} className="relative min-h-0">
            <img src={address} alt={name} className="absolute inset-0 h-full w-full object-contain" />
            <figcaption className="absolute top-1.5 left-1.5 rounded-[6px] bg-[#1c2530]/90 px-2 py-0.5 text-xs font-medium text-[#fffdf9]">
              {name}
            </figcaption>
          </figure>
        ))}
        <p className="self-center justify-self-center rounded-[8px] bg-card px-4 py-3 text-center">
          {pair ? (
            <>
              Half-way from frame <b className="figure">{pair[0]}</b> to <b className="figure">{pair[1]}</b>.
              <br />
              <span className="text-ink-2">Step through the strip to compare others.</span>
            </>
          ) : (
            "There are no two frames to compare."
          )}
        </p>
      </div>
    </section>
  );
}
