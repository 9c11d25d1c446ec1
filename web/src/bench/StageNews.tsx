// What lies over a stage while its file is made, or could not be: how far it is, and what went wrong.

import { useEffect, useState, type ReactNode } from "react";
import { describeProblem, type JobInfo } from "../api/client";
import { Bar } from "../ui/Bar";
import { Button, Mark } from "../ui/controls";

const STAGES: Record<string, string> = {
  framing: "Scaling",
  tuning: "Choosing the palette",
  encoding: "Encoding",
};

export function StageNews({
  job,
  busy,
  error,
  onCancel,
  onRetry,
}: {
  job: JobInfo | undefined;
  busy: boolean;
  error: string;
  onCancel: () => void;
  onRetry: () => void;
}) {
  const slow = useSlow(busy);
  return (
    <>
      <div className="absolute top-12 left-3 flex flex-col gap-2">
        {job?.state === "failed" && (
          <Message verdict="stop" title="Encoding failed">
            <p>{job.error && describeProblem(job.error)}</p>
            <Button onClick={onRetry}>Try again</Button>
          </Message>
        )}
        {job?.state === "cancelled" && (
          <Message verdict="look" title="Cancelled">
            <p>The picture shows the result from before the last change.</p>
            <Button onClick={onRetry}>Encode it</Button>
          </Message>
        )}
        {error && (
          <Message verdict="stop" title="The output cannot be shown">
            <p>{error}</p>
          </Message>
        )}
      </div>
      {slow && (
        <div className="absolute right-3 bottom-14 flex w-[230px] items-center gap-3 rounded-[8px] bg-card px-3 py-2 shadow">
          <div className="grow">
            <p className="mb-1 text-xs text-ink-2">{STAGES[job?.stage ?? ""] ?? "Queued"}</p>
            <Bar share={job?.total ? job.done / job.total : 0} label="Encoding progress" />
          </div>
          <Button onClick={onCancel}>Cancel</Button>
        </div>
      )}
    </>
  );
}

/** Only true once something has taken long enough to be worth showing. */
function useSlow(busy: boolean): boolean {
  const [slow, setSlow] = useState(false);
  useEffect(() => {
    if (!busy) {
      setSlow(false);
      return;
    }
    const timer = setTimeout(() => setSlow(true), 900);
    return () => clearTimeout(timer);
  }, [busy]);
  return slow;
}

function Message({
  verdict,
  title,
  children,
}: {
  verdict: "stop" | "look";
  title: string;
  children: ReactNode;
}) {
  return (
    <div
      role="alert"
      className="flex max-w-[420px] flex-col items-start gap-2 rounded-[10px] bg-card px-3.5 py-3 shadow"
    >
      <Mark verdict={verdict} word={title} />
      {children}
    </div>
  );
}
