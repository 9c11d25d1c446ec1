// What is done to the projects that are chosen in the table, or to all that it shows.

import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState, type ReactNode } from "react";
import { api, data, type Limits, type TableRow } from "../api/client";
import { useStandIns } from "../bench/proof/proof";
import { ALL_SETTINGS, SETTINGS } from "../bench/settings";
import { useTargets } from "../bench/Stubs";
import { count } from "../format";
import { Button, Checkbox, KILOBYTES, NumberField, Row, Segmented, TextField } from "../ui/controls";
import { useBatching, useOutlook, type Action, type Meant } from "./batches";
import { useAwaited } from "./Progress";
import { isOver } from "./rows";

interface Props {
  rows: readonly TableRow[];
  meant: Meant;
  /** How many are chosen; none: all that are shown are meant. */
  chosen: number;
  columns: readonly string[];
  onColumn: (column: string) => void;
}

/** What is said of the values of a sheet is not seen while one is typed and not taken. */
const UNTAKEN = "group-has-[[data-clean=false]]/sheet:invisible";
const SELECT = "h-[28px] min-w-0 rounded-[7px] border border-line bg-card px-2 text-ink";

export function Actions({ rows, meant, chosen, columns, onColumn }: Props) {
  const { begin } = useBatching();
  const none = meant.projects.length === 0;
  return (
    <div role="toolbar" aria-label="Actions" className="flex shrink-0 flex-wrap items-center gap-1.5">
      <span role="status" className="mr-1 font-semibold">
        {chosen > 0 ? `${chosen} chosen` : `All ${meant.projects.length} shown`}
      </span>
      <select
        aria-label="Outputs"
        value={meant.column}
        onChange={({ target }) => onColumn(target.value)}
        className={SELECT}
      >
        <option value="">all outputs</option>
        {columns.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      <Sheet label="Set" disabled={none} about="One setting">
        {(close) => <Set meant={meant} close={close} />}
      </Sheet>
      <Sheet label="Take settings" disabled={none} about="Settings of another project">
        {(close) => <Take rows={rows} meant={meant} close={close} />}
      </Sheet>
      <Sheet label="Check" disabled={none} about="Check against a target">
        {(close) => <Check meant={meant} close={close} />}
      </Sheet>
      <Sheet label="Fit" disabled={none} about="Fit a budget">
        {(close) => <Fit rows={rows} meant={meant} close={close} />}
      </Sheet>
      <Button disabled={none} onClick={() => void begin(meant, { kind: "make" })}>
        Encode again
      </Button>
      <Sheet label="Hand off" disabled={none} about="Hand off">
        {(close) => <HandOff meant={meant} close={close} />}
      </Sheet>
      <Sheet label="Send" disabled={none} about="Send to a place">
        {(close) => <Send meant={meant} close={close} />}
      </Sheet>
      <span className="grow" />
      <Button
        look="quiet"
        disabled={chosen === 0}
        title={chosen === 0 ? "Choose some first" : undefined}
        onClick={() => void begin(meant, { kind: "delete" })}
      >
        Delete {chosen > 0 ? chosen : ""}
      </Button>
    </div>
  );
}

function Sheet({
  label,
  about,
  disabled,
  children,
}: {
  label: string;
  about: string;
  disabled: boolean;
  children: (close: () => void) => ReactNode;
}) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button disabled={disabled}>{label}…</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={12}
          aria-label={about}
          className="group/sheet z-30 flex w-[370px] flex-col gap-2.5 rounded-[10px] border border-jay bg-card p-3.5 shadow-xl"
        >
          {children(() => setOpen(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The outputs that are meant. */
const cellsOf = (rows: readonly TableRow[], { projects, column }: Meant) => {
  const some = new globalThis.Set(projects);
  return rows
    .filter(({ id }) => some.has(id))
    .flatMap(({ cells }) => cells.filter(({ name }) => column === "" || name === column));
};

interface Part {
  meant: Meant;
  close: () => void;
}

/** What an action would do, then the button that does it. */
function Begin({
  meant,
  action,
  label,
  looked = true,
  close,
}: Part & { action: Action | null; label: string; looked?: boolean }) {
  const { begin } = useBatching();
  const seen = useOutlook(meant, looked ? action : null);
  const outlook = looked && action ? seen.data : undefined;
  const said = outlook
    ? [...outlook.failures.map(({ project, error }) => ({ project, note: error.message }))]
    : [];
  const notes = outlook ? [...said, ...outlook.notes] : [];
  const ready = action !== null && (!looked || (outlook !== undefined && !seen.isFetching && !seen.error));
  return (
    <>
      {looked && (
        <div
          role="status"
          aria-label="What it changes"
          className={`min-h-[18px] text-xs ${UNTAKEN} ${seen.isFetching ? "opacity-60" : ""}`}
        >
          {action !== null && seen.error ? (
            <span className="text-stop">{seen.error.message}</span>
          ) : outlook ? (
            <>
              <p>
                Changes {outlook.changed} of {count(meant.projects.length, "project")}
                {outlook.failures.length > 0 && `; ${outlook.failures.length} cannot take it`}.
              </p>
              <ul className="max-h-[96px] list-disc overflow-y-auto pl-4 text-ink-2">
                {notes.slice(0, 40).map(({ project, note }, at) => (
                  <li key={at}>
                    {project}: {note}
                  </li>
                ))}
              </ul>
            </>
          ) : null}
        </div>
      )}
      <Button
        look="strong"
        className="self-start"
        disabled={!ready || outlook?.changed === 0}
        onClick={({ currentTarget }) => {
          const refused = currentTarget.closest("[role=dialog]")?.querySelector("[aria-invalid=true]");
          if (refused instanceof HTMLElement) refused.focus();
          if (!action || refused) return;
          void begin(meant, action).then((batch) => {
            if (!batch) return;
            if (action.kind === "hand-off" && action.to === "zip")
              useAwaited.setState(({ ids }) => ({ ids: [...ids, batch.id] }));
            close();
          });
        }}
      >
        {label}
      </Button>
    </>
  );
}

type SetAction = Extract<Action, { kind: "set" }>;
type Name = SetAction["setting"];
type Value = SetAction["value"];

const NUMBERS: Partial<Record<Name, readonly [string, number, number]>> = {
  colours: ["Colours", 2, 256],
  amount: ["Dither amount", 0, 100],
  tolerance: ["Tolerance", 0, 100],
  loss: ["Loss", 0, 100],
  quality: ["Quality", 0, 100],
  width: ["Width", 1, 4096],
  height: ["Height", 1, 4096],
};
const CHOICES: Partial<Record<Name, readonly [string, readonly (readonly [string, Value])[]]>> = {
  dither: [
    "Dither",
    [
      ["automatic", "auto"],
      ["none", "none"],
      ["diffusion", "diffusion"],
      ["ordered", "ordered"],
      ["noise", "noise"],
    ],
  ],
  palette: [
    "Palettes",
    [
      ["one", "shared"],
      ["by frame", "frame"],
      ["by frame if it pays", "auto"],
    ],
  ],
  lossless: [
    "Lossless",
    [
      ["on", true],
      ["off", false],
    ],
  ],
  repeat: [
    "Plays",
    [
      ["as in its project", null],
      ["for ever", 0],
      ["once", 1],
      ["twice", 2],
    ],
  ],
};
const NAMES: readonly Name[] = [
  "colours",
  "dither",
  "amount",
  "palette",
  "tolerance",
  "loss",
  "quality",
  "lossless",
  "width",
  "height",
  "rate",
  "repeat",
];
const titleOf = (name: Name) => NUMBERS[name]?.[0] ?? CHOICES[name]?.[0] ?? "Rate";

function Set({ meant, close }: Part) {
  const [setting, setSetting] = useState<Name>("colours");
  const [value, setValue] = useState<Value | undefined>();
  const number = NUMBERS[setting];
  const choice = CHOICES[setting];
  return (
    <>
      <span className="flex items-center gap-2">
        <select
          aria-label="Setting"
          value={setting}
          onChange={({ target }) => {
            setSetting(target.value as Name);
            setValue(undefined);
          }}
          className={SELECT}
        >
          {NAMES.map((name) => (
            <option key={name} value={name}>
              {titleOf(name)}
            </option>
          ))}
        </select>
        {number ? (
          <NumberField
            key={setting}
            label={number[0]}
            value={typeof value === "number" ? value : null}
            min={number[1]}
            max={number[2]}
            className="w-[72px] text-right"
            onCommit={setValue}
          />
        ) : choice ? (
          <select
            aria-label={choice[0]}
            value={choice[1].findIndex(([, one]) => one === value)}
            onChange={({ target }) => setValue(choice[1][Number(target.value)]?.[1])}
            className={SELECT}
          >
            <option value={-1}>choose</option>
            {choice[1].map(([label], at) => (
              <option key={label} value={at}>
                {label}
              </option>
            ))}
          </select>
        ) : (
          <TextField
            label="Rate"
            value={typeof value === "string" ? value : ""}
            placeholder="fps"
            onCommit={setValue}
            className="w-[86px] text-right"
          />
        )}
      </span>
      <Begin
        meant={meant}
        close={close}
        action={value === undefined ? null : { kind: "set", setting, value }}
        label={`Set in ${meant.projects.length}`}
      />
    </>
  );
}

function Take({ rows, meant, close }: Part & { rows: readonly TableRow[] }) {
  const [from, setFrom] = useState("");
  const [settings, setSettings] = useState(ALL_SETTINGS);
  return (
    <>
      <select
        aria-label="Take from"
        value={from}
        onChange={({ target }) => setFrom(target.value)}
        className={SELECT}
      >
        <option value="">Choose a project</option>
        {rows.map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
      <span className="flex gap-4">
        {SETTINGS.map(([one, label]) => (
          <Checkbox
            key={one}
            label={label}
            checked={settings.includes(one)}
            onChange={(on) =>
              setSettings(ALL_SETTINGS.filter((other) => (other === one ? on : settings.includes(other))))
            }
          />
        ))}
      </span>
      <Begin
        meant={meant}
        close={close}
        action={
          from && settings.length > 0
            ? { kind: "take", project_id: from, recipe: null, settings: [...settings] }
            : null
        }
        label={`Take in ${meant.projects.length}`}
      />
    </>
  );
}

function Check({ meant, close }: Part) {
  const targets = useTargets().data ?? [];
  const [target, setTarget] = useState<string | null>(null);
  return (
    <>
      <select
        aria-label="Target"
        value={target ?? "?"}
        onChange={({ target: { value } }) => setTarget(value === "?" ? null : value)}
        className={SELECT}
      >
        <option value="?">Choose a target</option>
        <option value="">No target</option>
        {targets.map(({ target: one }) => (
          <option key={one.name} value={one.name}>
            {one.title}
          </option>
        ))}
      </select>
      <Begin
        meant={meant}
        close={close}
        action={target === null ? null : { kind: "check", target }}
        label={`Check ${meant.projects.length}`}
      />
    </>
  );
}

const USUAL = ["colours", "dither", "tolerance", "loss", "palette", "quality"] as const;

function Fit({ rows, meant, close }: Part & { rows: readonly TableRow[] }) {
  const [most, setMost] = useState<number | null>(null);
  const [size, setSize] = useState(false);
  const [rate, setRate] = useState(false);
  const cells = cellsOf(rows, meant);
  const over = cells.filter((cell) => isOver(cell, most === null ? undefined : most * 1024)).length;
  const may = [...USUAL, ...(size ? (["size"] as const) : []), ...(rate ? (["rate"] as const) : [])];
  return (
    <>
      <Row label="Budget">
        <NumberField
          label="Budget in KB"
          units={KILOBYTES}
          value={most}
          min={1}
          max={4_000_000}
          placeholder="its own"
          className="w-[80px] text-right"
          onCommit={setMost}
          onClear={() => setMost(null)}
        />
        <span className="text-ink-2">KB an output</span>
      </Row>
      <span className="flex gap-4">
        <Checkbox label="Size may change" checked={size} onChange={setSize} />
        <Checkbox label="Rate may change" checked={rate} onChange={setRate} />
      </span>
      <p role="status" className={`text-xs ${UNTAKEN}`}>
        {over} of {count(cells.length, "output")} {over === 1 ? "is" : "are"} over budget now. What fits stays
        as it is.
      </p>
      <Begin
        meant={meant}
        close={close}
        looked={false}
        action={{ kind: "fit", most: most === null ? null : most * 1024, may }}
        label={`Fit ${meant.projects.length}`}
      />
    </>
  );
}

function HandOff({ meant, close }: Part) {
  const [to, setTo] = useState<"zip" | "folder">("zip");
  const [names, setNames] = useState("{project}/{file}");
  const [replace, setReplace] = useState(false);
  const limits = useQuery({
    queryKey: ["limits"],
    queryFn: () => data<Limits>(api.GET("/api/limits")),
    staleTime: Infinity,
  });
  const folder = limits.data?.handoff_folder;
  return (
    <>
      {folder && (
        <Segmented<"zip" | "folder">
          label="Where to"
          value={to}
          onChange={setTo}
          choices={[
            { value: "zip", label: "One zip" },
            { value: "folder", label: `Folder ${folder}` },
          ]}
        />
      )}
      <Row label="Names">
        <TextField label="Names" value={names} onCommit={setNames} className="w-[230px]" />
      </Row>
      <p className="text-xs text-ink-2">
        <code>{"{project}"}</code>, <code>{"{output}"}</code> and <code>{"{file}"}</code> are filled in.
      </p>
      {to === "folder" && (
        <Checkbox label="Replace files of the same names" checked={replace} onChange={setReplace} />
      )}
      <Begin
        meant={meant}
        close={close}
        looked={false}
        action={{ kind: "hand-off", to, names, replace }}
        label={to === "zip" ? `Zip ${meant.projects.length}` : `Write ${meant.projects.length}`}
      />
    </>
  );
}

function Send({ meant, close }: Part) {
  const places = useStandIns();
  const [to, setTo] = useState("");
  const [address, setAddress] = useState("");
  const [again, setAgain] = useState(false);
  const where = to === "address" ? address : to;
  return (
    <>
      <select aria-label="Place" value={to} onChange={({ target }) => setTo(target.value)} className={SELECT}>
        <option value="">Choose a place</option>
        {places.map(({ name, title }) => (
          <option key={name} value={name}>
            {title}
          </option>
        ))}
        <option value="address">an address…</option>
      </select>
      {to === "address" && (
        <TextField
          label="Address"
          value={address}
          placeholder="http://…"
          onCommit={setAddress}
          className="w-full"
        />
      )}
      <Checkbox label="Again, if it has them already" checked={again} onChange={setAgain} />
      <Begin
        meant={meant}
        close={close}
        looked={false}
        action={where ? { kind: "send", to: where, again } : null}
        label={`Send ${meant.projects.length}`}
      />
    </>
  );
}
