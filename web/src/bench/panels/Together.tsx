// One figure over all outputs: shared out so that the worst of them is as good as can be.

import { useState } from "react";
import type { SearchInfo, TrialInfo } from "../../api/client";
import { kilobytes, size } from "../../format";
import { Button, KILOBYTES, NumberField } from "../../ui/controls";
import type { Bench } from "../edits";
import { adoptAll, isUnderWay, mayChange, newest, useSearching, useTrials } from "../trials";

export function Together({ bench }: { bench: Bench }) {
  const { recipe, project } = bench;
  const { begin, cancel } = useSearching(bench);
  const search = newest(useTrials(bench), "together");
  const [typed, setTyped] = useState<number | null>(null);
  const outputs = recipe.outputs.filter((one) => mayChange(one).length > 0);
  if (outputs.length < 2) return null;
  const results = project.results.filter((one) => outputs.some(({ id }) => id === one.output_id));
  const now = results.reduce((sum, one) => sum + one.info.bytes, 0);
  const most = typed ?? (search?.most ? Math.round(search.most / 1024) : null);
  return (
    <section aria-label="All outputs together" className="mt-2 flex flex-col gap-1.5 text-xs">
      <div className="flex items-center justify-between gap-2">
        <span className="min-w-0 truncate text-ink-2">
          All {outputs.length}: <span className="figure">{size(now)}</span>, budget
        </span>
        <span className="flex items-center gap-1">
          <NumberField
            label="Budget of all outputs in KB"
            units={KILOBYTES}
            value={most}
            min={1}
            max={4_000_000}
            placeholder="KB"
            className="w-[64px] text-right"
            onCommit={setTyped}
            onClear={() => setTyped(null)}
          />
          <span className="text-ink-2">KB</span>
          {search && isUnderWay(search) ? (
            <Button className="h-[26px]! px-2!" onClick={() => cancel(search)}>
              Cancel
            </Button>
          ) : (
            <Button
              className="h-[26px]! px-2!"
              disabled={most === null}
              title="Shared out so that the worst of them looks as good as it can"
              onClick={() =>
                most !== null && begin("together", { most: most * 1024, outputs: outputs.map(({ id }) => id) })
              }
            >
              Fit
            </Button>
          )}
        </span>
      </div>
      {search && <Found bench={bench} search={search} />}
    </section>
  );
}

function Found({ bench, search }: { bench: Bench; search: SearchInfo }) {
  const { picks } = search;
  const most = kilobytes(search.most ?? 0);
  const { results, revision } = bench.project;
  const used = (trial: TrialInfo) =>
    results.some(
      (one) =>
        one.output_id === trial.output_id && one.pixels === trial.pixels && one.revision_id === revision.id,
    );
  if (search.state === "failed")
    return (
      <p className="text-stop">
        ■ {search.error?.message}
        {search.error?.remedy && `; ${search.error.remedy}`}
      </p>
    );
  if (isUnderWay(search))
    return (
      <p role="status" aria-label="Search together" className="text-ink-2">
        {search.trials.length === 0 ? "Trying…" : `${search.trials.length} tried`}
        {picks.length > 0 && `, best so far ${size(total(picks))}`}
      </p>
    );
  if (picks.length === 0)
    return search.state === "done" ? (
      <p className="text-stop">■ {most} KB cannot be reached together by what may change.</p>
    ) : null;
  const worst = picks.reduce((one, two) => ((one.error ?? 0) >= (two.error ?? 0) ? one : two));
  const of = bench.recipe.outputs.find(({ id }) => id === worst.output_id)?.name ?? "";
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="min-w-0 text-ink-2">
        {size(total(picks))} of {most} KB; the worst is {of}
        {worst.likeness?.ssim == null ? "" : `, SSIM ${worst.likeness.ssim.toFixed(4)}`}
      </span>
      {picks.every(used) ? (
        <span className="whitespace-nowrap text-fine">✓ in use</span>
      ) : (
        <Button
          className="h-[26px]! px-2!"
          onClick={() => adoptAll(bench, picks, `Fit together under ${most} KB`)}
        >
          Use these
        </Button>
      )}
    </div>
  );
}

const total = (picks: readonly TrialInfo[]) => picks.reduce((sum, one) => sum + one.bytes, 0);
