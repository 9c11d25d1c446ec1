// A file that took too long to read, while it is still at hand: it can be given more time.

import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useBringing } from "../../shelf/bring";
import { Button } from "../../ui/controls";
import { tell, tellError } from "../../ui/notices";
import { renew } from "./Renew";

export function ReadAgain({ project, file }: { project: string; file: string }) {
  const queries = useQueryClient();
  const brought = useBringing(({ slow }) => slow.get(file));
  const [busy, setBusy] = useState(false);
  const abort = useRef<AbortController | null>(null);
  if (!brought) return null;
  const read = async () => {
    abort.current = new AbortController();
    const { signal } = abort.current;
    setBusy(true);
    try {
      await renew(project, [brought], queries, signal, () => undefined, { patient: true });
      useBringing.setState(({ slow }) => ({ slow: new Map([...slow].filter(([name]) => name !== file)) }));
      tell(`${file} was read.`);
      await queries.invalidateQueries({ queryKey: ["shelf"] });
    } catch (error) {
      if (!signal.aborted) tellError(error);
    }
    setBusy(false);
  };
  return busy ? (
    <span role="status" className="mt-1 flex items-center gap-2 text-ink-2">
      Reading…
      <Button className="h-[26px]!" onClick={() => abort.current?.abort()}>
        Cancel
      </Button>
    </span>
  ) : (
    <Button className="mt-1 h-[26px]! self-start" title="It may take a minute" onClick={() => void read()}>
      Read it again
    </Button>
  );
}
