// The simulated devices and hosts that run beside the program, how each is, and a way to its page.

import { useStandIns } from "../bench/proof/proof";
import { Mark } from "../ui/controls";

const STATES = {
  ready: ["fine", "ready"],
  starting: ["busy", "starting"],
  silent: ["stop", "does not answer"],
} as const;

export function StandIns() {
  const standIns = useStandIns();
  if (standIns.length === 0) return null;
  return (
    <section aria-label="Stand-ins">
      <div className="mb-2 flex items-baseline gap-2.5">
        <h2 className="text-[15px] font-bold">Stand-ins</h2>
        <span className="text-ink-2">simulated places to prove a file in, before it leaves</span>
      </div>
      <ul className="grid grid-cols-4 gap-3">
        {standIns.map(({ name, title, url, state, status }) => {
          const [verdict, word] = STATES[state];
          return (
            <li key={name}>
              <a
                href={url}
                target="_blank"
                rel="noreferrer"
                className="flex h-full flex-col gap-0.5 rounded-[10px] border border-line bg-card px-3 py-2 hover:border-ink-3"
              >
                <span className="flex items-center justify-between gap-2">
                  <b className="font-semibold">{title}</b>
                  <Mark verdict={verdict} word={word} />
                </span>
                <span className="text-xs text-ink-2">{status?.note ?? "It is started again by itself."}</span>
              </a>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
