// The folder that frames were opened in: what is newer there, brought in once or as it comes, and where it is now.

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api, data, type Renewed, type SourceInfo, type SourceMatch } from "../../api/client";
import { count } from "../../format";
import { FolderList, useFolder, useFolderNames, type Place } from "../../shelf/Folders";
import { Button, Checkbox, Mark } from "../../ui/controls";
import { tellError } from "../../ui/notices";
import { useWished } from "../../ui/useWished";
import type { Bench } from "../edits";
import { standingOf } from "../source";
import { inWords } from "./Renew";

export function SourceFolder({ bench, source }: { bench: Bench; source: SourceInfo }) {
  const queries = useQueryClient();
  const [done, setDone] = useState<Renewed | null>(null);
  const [elsewhere, setElsewhere] = useState(false);
  const names = useFolderNames();
  const { id } = bench.project;
  const params = { path: { project_id: id } };
  const reload = () => queries.invalidateQueries({ queryKey: ["source", id] });
  const [follows, wish] = useWished(source.follows);
  const change = (to: boolean, folder?: Place) =>
    wish(
      to,
      data(api.PUT("/api/projects/{project_id}/folder", { params, body: { follows: to, folder } }))
        .catch(tellError)
        .then(reload),
    );
  const bringIn = () => {
    setDone(null);
    data<Renewed | null>(api.POST("/api/projects/{project_id}/folder/renew", { params }))
      .then(setDone)
      .catch(tellError)
      .finally(() => void reload());
  };
  const { verdict, word, text } = standingOf(source, Date.now());
  const fresh = source.newer + source.added;
  return (
    <section aria-label="Source folder" className="flex flex-col gap-1.5">
      <span className="flex items-center justify-between gap-2">
        <h3 className="font-semibold">Source folder</h3>
        <Mark verdict={verdict} word={word} />
      </span>
      <p dir="auto" className="figure truncate text-xs" title={source.folder}>
        {source.folder}
      </p>
      <p role="status" aria-label="Source" className="text-xs text-ink-2">
        {text}
      </p>
      {source.unusable.length > 0 && (
        <details className="text-xs">
          <summary className="cursor-pointer text-stop">
            {count(source.unusable.length, "file")} cannot be used
          </summary>
          <ul className="max-h-[84px] overflow-y-auto">
            {source.unusable.map(({ file, message }) => (
              <li key={file} className="break-words text-ink-2">
                {file}: {message}
              </li>
            ))}
          </ul>
        </details>
      )}
      <span className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        {fresh > 0 && !source.follows && source.state === "here" && (
          <Button look="strong" disabled={source.busy} onClick={bringIn}>
            Bring in {count(fresh, "frame")}
          </Button>
        )}
        {source.state === "here" && <Checkbox label="Follow" checked={follows} onChange={change} />}
        {names.length > 0 && (
          <Button
            look={source.state === "gone" ? "strong" : "quiet"}
            className={source.state === "gone" ? "" : "px-1!"}
            onClick={() => setElsewhere(true)}
          >
            It is elsewhere now…
          </Button>
        )}
      </span>
      {done && (
        <p role="status" aria-label="Brought in" className="text-xs">
          {inWords(done)}
        </p>
      )}
      {elsewhere && (
        <Elsewhere
          project={id}
          names={names}
          onClose={() => setElsewhere(false)}
          onTake={(place) => {
            setElsewhere(false);
            change(follows, place);
          }}
        />
      )}
    </section>
  );
}

/** Another folder is looked for; what is in it is compared with the project before it is taken. */
function Elsewhere({
  project,
  names,
  onClose,
  onTake,
}: {
  project: string;
  names: readonly string[];
  onClose: () => void;
  onTake: (place: Place) => void;
}) {
  const folder = useFolder(names);
  const { place, found } = folder;
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const there = (found?.sequences.length ?? 0) > 0;
  const match = useQuery({
    queryKey: ["elsewhere", project, place.root, place.path],
    queryFn: ({ signal }) =>
      data<SourceMatch>(
        api.GET("/api/projects/{project_id}/folder/elsewhere", {
          params: { path: { project_id: project }, query: place },
          signal,
        }),
      ),
    enabled: there,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <Dialog.Root modal={false} open onOpenChange={onClose}>
      <Dialog.Portal>
        <div aria-hidden className="fixed inset-0 z-40 bg-black/30" onClick={onClose} />
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(event) => event.preventDefault()}
          className="fixed top-1/2 left-1/2 z-50 flex max-h-[90vh] w-[860px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 overflow-y-auto rounded-[12px] border border-line bg-card px-6 py-5 shadow-lg"
        >
          <Dialog.Title className="text-[15px] font-bold">Where are these frames now?</Dialog.Title>
          <FolderList
            folder={folder}
            chosen={chosen}
            onChoose={setChosen}
            onGo={folder.go}
            onOpen={() => undefined}
            onClose={onClose}
          />
          <span className="flex flex-wrap items-center gap-3">
            <Button
              look="strong"
              disabled={!there || !match.data || match.isPlaceholderData}
              onClick={() => onTake(place)}
            >
              Use this folder
            </Button>
            <span role="status" aria-label="Compared" className="text-ink-2">
              {!there
                ? "Open the folder they are in."
                : match.error
                  ? match.error.message
                  : match.data && !match.isPlaceholderData
                    ? compared(match.data)
                    : "Comparing…"}
            </span>
            <span className="grow" />
            <Button look="quiet" onClick={onClose}>
              Cancel
            </Button>
          </span>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function compared({ same, other, added, lacking }: SourceMatch): string {
  return [
    `${count(same, "frame")} the same`,
    other > 0 ? `${other} changed` : "",
    added > 0 ? `${added} new` : "",
    lacking > 0 ? `${lacking} missing` : "",
  ]
    .filter(Boolean)
    .join(", ");
}
