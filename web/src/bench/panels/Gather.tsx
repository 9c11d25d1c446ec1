// Which frames are there, and what is wrong with the set.

import { count } from "../../format";
import { Button, Mark } from "../../ui/controls";
import { Facts, Head, type PanelProps } from "./panel";

export function GatherPanel({ bench }: PanelProps) {
  const { project, recipe } = bench;
  const { report } = project;
  const out = recipe.gather.left_out;
  const labels = [...new Set(project.frame_list.map((frame) => frame.label))];
  return (
    <>
      <Head title="Gather">{report.pattern}</Head>
      <Facts
        facts={[
          ["Frames", `${project.frames}${out.length > 0 ? `, ${project.frames - out.length} used` : ""}`],
          ["Numbers", report.first === null ? "none" : `${report.first} to ${report.last ?? ""}`],
          ["Size", `${project.width} × ${project.height}`],
          ["Kind", labels.join(", ")],
        ]}
      />
      {report.problems.length === 0 && out.length === 0 ? (
        <p className="flex flex-col gap-1 rounded-[8px] bg-well px-3 py-2.5">
          <Mark verdict="fine" word="all there" />
          <span className="text-ink-2">Every number from first to last, once, in order, all of one size.</span>
        </p>
      ) : (
        <ul className="flex flex-col gap-2">
          {report.problems.map((problem) => (
            <li key={`${problem.kind}${problem.file}`} className="rounded-[8px] bg-well px-3 py-2">
              <Mark
                verdict="look"
                word={
                  { missing: "missing", unreadable: "not readable", size: "another size", repeated: "twice" }[
                    problem.kind
                  ]
                }
              />
              <p className="break-words">
                {problem.file && <b className="font-semibold">{problem.file}: </b>}
                {problem.message}
              </p>
              <p className="text-xs text-ink-2">
                {problem.kind === "missing"
                  ? "The others play on without them."
                  : "It is not used; the others are."}{" "}
                {problem.remedy.charAt(0).toUpperCase() + problem.remedy.slice(1)}.
              </p>
            </li>
          ))}
          {out.length > 0 && (
            <li className="flex items-center justify-between gap-2 rounded-[8px] bg-well px-3 py-2">
              <span>{count(out.length, "frame")} left out by hand</span>
              <Button
                onClick={() =>
                  bench.edit("Frames put back", (so) => ({ ...so, gather: { ...so.gather, left_out: [] } }))
                }
              >
                Put back
              </Button>
            </li>
          )}
        </ul>
      )}
    </>
  );
}
