// Which frames are there, what is wrong with the set, and what makes it right.

import { count } from "../../format";
import { Button, Mark, Segmented } from "../../ui/controls";
import { useContact } from "../contact";
import { findings, fixable, fixed, fixes, leftOutByHand, putBackPositions, type Finding } from "../findings";
import { arranged } from "../order";
import { Facts, Head, type PanelProps } from "./panel";
import { Fly } from "./Fly";
import { Join } from "./Join";
import { ReadAgain } from "./ReadAgain";
import { Renew } from "./Renew";
import { Views } from "./Views";

/** So many parts are named; of more the first and the last. */
const NAMED = 6;

function PartsFact({ parts }: { parts: PanelProps["bench"]["project"]["report"]["parts"] }) {
  const names = parts.map((part) => part.labels.join(" ") || part.pattern);
  const all = names.join(", ");
  if (names.length <= NAMED) return all;
  return <span title={all}>{`${names.length}: ${names[0] ?? ""} … ${names.at(-1) ?? ""}`}</span>;
}

export function GatherPanel({ bench }: PanelProps) {
  const { project, recipe } = bench;
  const { report } = project;
  const found = findings(project, recipe);
  const byHand = leftOutByHand(found, recipe);
  const undecided = fixable(found);
  const labels = [...new Set(project.frame_list.map((frame) => frame.label))];
  const unused = new Set([...recipe.gather.left_out, ...recipe.gather.folded]).size;
  const contact = useContact((state) => state.open);
  return (
    <>
      <Head title="Gather">{report.pattern === "*" ? "of several names" : report.pattern}</Head>
      <Facts
        facts={[
          ["Frames", `${project.frames}${unused > 0 ? `, ${project.frames - unused} used` : ""}`],
          ["Numbers", report.first === null ? "none" : `${report.first} to ${report.last ?? ""}`],
          ["Size", `${project.width} × ${project.height}`],
          ["Kind", labels.join(", ")],
          ...(report.parts.length > 0 ? [["Parts", <PartsFact parts={report.parts} />] as const] : []),
        ]}
      />
      <Segmented
        label="In the middle"
        value={contact ? "contact" : "stage"}
        choices={[
          { value: "stage", label: "Playing picture" },
          { value: "contact", label: "Contact view", tip: "All frames with their numbers", keys: "C" },
        ]}
        onChange={(value) => useContact.setState({ open: value === "contact" })}
      />
      <Fix bench={bench} found={undecided.plain} label="Fix" least={2} />
      <Fix bench={bench} found={undecided.pixels} label="Fix pixels of" least={2} />
      {found.length === 0 && byHand.length === 0 ? (
        <p className="flex flex-col gap-1 rounded-[8px] bg-well px-3 py-2.5">
          <Mark verdict="fine" word="all there" />
          <span className="text-ink-2">Every number from first to last, once, in order, all of one size.</span>
        </p>
      ) : (
        <ul aria-label="Report" className="flex flex-col gap-2">
          {found.map((finding) => (
            <Line
              key={finding.key}
              finding={finding}
              order={arranged(recipe.rhythm, project.frames)}
              edit={bench.edit}
              project={project.id}
            />
          ))}
          {byHand.length > 0 && (
            <li className="flex items-center justify-between gap-2 rounded-[8px] bg-well px-3 py-2">
              <span>{count(byHand.length, "frame")} left out by hand</span>
              <Button onClick={() => bench.edit("Frames put back", putBackPositions(byHand))}>Put back</Button>
            </li>
          )}
        </ul>
      )}
      <Views bench={bench} />
      <Fly bench={bench} />
      <Join bench={bench} />
      <Renew bench={bench} />
    </>
  );
}

/** Several fixes in one, and what they are. */
function Fix({
  bench,
  found,
  label,
  least,
}: {
  bench: PanelProps["bench"];
  found: readonly Finding[];
  label: string;
  least: number;
}) {
  if (found.length < least) return null;
  return (
    <div className="flex flex-col items-start gap-1">
      <Button look="strong" onClick={() => bench.edit(`${label} ${found.length}`, fixed(found))}>
        {label} {found.length} things
      </Button>
      <p className="text-xs text-ink-2">{fixes(found).join(" · ")}</p>
    </div>
  );
}

function Line({
  finding,
  order,
  edit,
  project,
}: {
  finding: Finding;
  order: readonly number[];
  edit: PanelProps["bench"]["edit"];
  project: string;
}) {
  return (
    <li className="flex flex-col gap-0.5 rounded-[8px] bg-well px-3 py-2">
      <span className="flex items-center justify-between">
        <Mark verdict={finding.verdict} word={finding.word} />
        {finding.positions.length > 0 && (
          <button
            type="button"
            className="text-xs font-medium text-jay-deep hover:underline"
            onClick={() => {
              const places = finding.positions.map((position) => order.indexOf(position) + 1).filter(Boolean);
              useContact.setState({ open: true, chosen: new Set(places), focus: places[0] ?? 1 });
            }}
          >
            Show
          </button>
        )}
      </span>
      <p className="break-words">
        {finding.file && <b className="font-semibold">{finding.file}: </b>}
        {finding.file ? finding.message : finding.message.charAt(0).toUpperCase() + finding.message.slice(1)}
      </p>
      {finding.note && <p className="text-xs text-ink-2">{finding.note}</p>}
      {finding.file && <ReadAgain project={project} file={finding.file} />}
      {finding.remedies.length > 0 && (
        <span className="mt-1 flex flex-wrap gap-1.5">
          {finding.remedies.map((remedy) => (
            <Button key={remedy.label} onClick={() => edit(remedy.done, remedy.change)}>
              {remedy.label}
            </Button>
          ))}
        </span>
      )}
    </li>
  );
}
