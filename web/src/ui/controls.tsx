// The few controls everything is built from.

import { Slider as RadixSlider, ToggleGroup, Tooltip } from "radix-ui";
import { useEffect, useId, useRef, useState, type ReactNode } from "react";
import { askWhich, isAmbiguous, readNumber } from "../typed";

export function Tip({ text, keys, children }: { text: string; keys?: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={6}
          className="z-50 flex items-center gap-2 rounded-[7px] bg-strong px-2 py-1 text-xs text-on-strong shadow-md"
        >
          {text}
          {keys && <kbd className="figure rounded border border-current/40 px-1 text-[11px]">{keys}</kbd>}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

type ButtonProps = React.ComponentProps<"button"> & { look?: "strong" | "plain" | "quiet" };

export function Button({ look = "plain", className = "", ...rest }: ButtonProps) {
  const looks = {
    strong: "bg-strong text-on-strong border-strong hover:opacity-90",
    plain: "bg-card text-ink border-line hover:border-ink-3",
    quiet: "border-transparent text-ink-2 hover:text-ink hover:bg-well",
  };
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex h-[30px] items-center justify-center gap-1.5 rounded-[7px] border px-3 font-medium whitespace-nowrap transition-colors disabled:cursor-default disabled:opacity-45 ${looks[look]} ${className}`}
    />
  );
}

export function IconButton({ tip, keys, ...rest }: ButtonProps & { tip: string; keys?: string }) {
  return (
    <Tip text={tip} keys={keys}>
      <Button aria-label={tip} {...rest} className={`w-[32px] px-0! ${rest.className ?? ""}`} />
    </Tip>
  );
}

export interface Choice<T extends string> {
  value: T;
  label: ReactNode;
  name?: string;
  tip?: string;
  keys?: string;
}

export function Segmented<T extends string>({
  label,
  value,
  choices,
  onChange,
  dark = false,
}: {
  label: string;
  value: T;
  choices: readonly Choice<T>[];
  onChange: (value: T) => void;
  dark?: boolean;
}) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => {
        if (next) onChange(next as T);
      }}
      className="inline-flex gap-1"
    >
      {choices.map((choice) => {
        const item = (
          <ToggleGroup.Item
            key={choice.value}
            value={choice.value}
            aria-label={choice.name}
            className={`h-[26px] rounded-[6px] border px-2 font-medium whitespace-nowrap transition-colors ${
              dark
                ? "border-transparent text-ink-2 hover:bg-well aria-checked:bg-strong aria-checked:text-on-strong"
                : "border-line bg-card hover:border-ink-3 aria-checked:border-jay aria-checked:bg-jay-soft aria-checked:text-jay-deep"
            }`}
          >
            {choice.label}
          </ToggleGroup.Item>
        );
        return choice.tip ? (
          <Tip key={choice.value} text={choice.tip} keys={choice.keys}>
            {item}
          </Tip>
        ) : (
          item
        );
      })}
    </ToggleGroup.Root>
  );
}

const FIELD =
  "figure h-[26px] rounded-[6px] border border-line bg-card px-2 text-ink transition-colors hover:border-ink-3 aria-[invalid=true]:border-stop disabled:opacity-45";

/**
 * A typed value that is taken when it can be read. Until then it stays in the field, marked, with what would be taken;
 * Escape brings the value back.
 */
export function TextField({
  label,
  value,
  onCommit,
  read = (text) => (text.trim() ? text.trim() : null),
  why = "Type something, or press Escape",
  className = "",
  onStep,
  onText,
  ...rest
}: {
  label: string;
  value: string;
  onCommit: (value: string) => void;
  /** Told of what is typed before it is taken; empty once it is, or taken back. */
  onText?: (text: string) => void;
  /** The value as it will be taken, or null when the text is none. */
  read?: (text: string) => string | null;
  /** What is taken instead of a text that is not. */
  why?: string;
  className?: string;
  onStep?: (by: number) => void;
} & Omit<React.ComponentProps<"input">, "value" | "onChange">) {
  const [text, setText] = useState(value);
  const [editing, setEditing] = useState(false);
  /** What was typed could not be taken; it stays until it is changed. */
  const [refused, setRefused] = useState(false);
  const escaped = useRef(false);
  /** Where the focus is once the value is taken: the keys that follow are the screen's, and Tab goes on from here. */
  const resting = useRef<HTMLSpanElement>(null);
  const [rests, setRests] = useState("");
  useEffect(() => {
    if (!editing && !refused) setText(value);
  }, [value, editing, refused]);
  const bad = text !== value && read(text) === null;
  const commit = () => {
    setEditing(false);
    const taken = read(text);
    if (!escaped.current && bad) {
      setRefused(true);
      return;
    }
    onText?.("");
    if (!escaped.current && taken !== null && taken !== value) onCommit(taken);
    else setText(value);
    escaped.current = false;
    setRefused(false);
  };
  const field = (
    <input
      dir="auto"
      {...rest}
      aria-label={label}
      aria-invalid={bad && (editing || refused)}
      data-clean={text === value}
      spellCheck={false}
      autoComplete="off"
      className={`${FIELD} ${className}`}
      value={text}
      onFocus={(event) => {
        setEditing(true);
        event.target.select();
      }}
      onChange={(event) => {
        setText(event.target.value);
        setEditing(true);
        setRefused(false);
        onText?.(event.target.value);
      }}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") {
          // what cannot be taken is put right where it is
          if (bad) commit();
          else {
            setRests("Applied");
            resting.current?.focus({ preventScroll: true });
          }
        } else if (event.key === "Escape") {
          escaped.current = true;
          setRests("Reverted");
          setRefused(false);
          resting.current?.focus({ preventScroll: true });
        } else if (onStep && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
          event.preventDefault();
          onStep((event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 10 : 1));
        } else if ((event.ctrlKey || event.metaKey) && /^[zy]$/i.test(event.key) && text === value) {
          return; // nothing typed here to take back: undo is the project's
        }
        event.stopPropagation();
      }}
    />
  );
  return (
    <Tooltip.Root open={refused}>
      <Tooltip.Trigger asChild>{field}</Tooltip.Trigger>
      <span
        ref={resting}
        role="note"
        tabIndex={-1}
        aria-label={rests}
        data-rest
        className="sr-only fixed!" // not absolute: it must not make a panel longer
        onBlur={() => setRests("")}
      />
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={5}
          collisionPadding={12}
          side="bottom"
          align="start"
          className="z-50 max-w-[300px] rounded-[7px] border border-stop wrap-anywhere bg-stop-soft px-2 py-1 text-xs text-ink shadow-md"
        >
          <span className="font-semibold text-stop">■ “{shortened(text)}” is not taken.</span>{" "}
          {isAmbiguous(text.replace(/[^\d.,+-]+$/, ""), rest.inputMode === "numeric")
            ? askWhich(text.replace(/[^\d.,+-]+$/, ""))
            : why}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

/** As much of a text as is told apart at a glance. */
const shortened = (text: string) => (text.length > 60 ? `${text.slice(0, 58)}…` : text);

/** What may be typed behind a figure in KB. */
export const KILOBYTES = { kb: 1, mb: 1024 };

export function NumberField({
  label,
  value,
  min,
  max,
  onCommit,
  onClear,
  className = "w-[52px] text-right",
  placeholder,
  step = 1,
  units = {},
}: {
  label: string;
  value: number | null;
  min: number;
  max: number;
  onCommit: (value: number) => void;
  /** Told when the field is emptied; without it a number must stay. */
  onClear?: () => void;
  className?: string;
  placeholder?: string;
  /** What it is a multiple of: 0.01 takes hundredths. */
  step?: number;
  /** Units that may be typed, and how many of the field's own each is: `{ px: 1, "%": 6.4 }`. */
  units?: Readonly<Record<string, number>>;
}) {
  const read = (text: string) => {
    const [, figure = "", unit = ""] = /^(.*?)\s*([a-z%°×]*)$/i.exec(text.trim()) ?? [];
    const times = unit === "" ? 1 : units[unit.toLowerCase()];
    const typed = times === undefined ? null : readNumber(figure, step === 1 && times === 1);
    if (typed === null || times === undefined) return null;
    const number = times === 1 ? typed : rounded(Math.round((typed * times) / step) * step);
    const even = Math.abs(number / step - Math.round(number / step)) < 1e-6;
    return even && number >= min && number <= max ? String(number) : null;
  };
  return (
    <TextField
      label={label}
      inputMode={step === 1 ? "numeric" : "decimal"}
      value={value === null ? "" : String(value)}
      placeholder={placeholder}
      read={(text) => (text.trim() === "" && (value === null || onClear) ? "" : read(text))}
      why={`${step === 1 ? "A whole number" : "A number"} from ${min} to ${max}${step === 1 ? "" : `, in steps of ${step}`}.`}
      onCommit={(text) => (text === "" ? onClear?.() : onCommit(Number(text)))}
      onStep={(by) => onCommit(Math.min(max, Math.max(min, rounded((value ?? min) + by * step))))}
      className={className}
    />
  );
}

/** Without what adding tenths leaves behind. */
const rounded = (value: number) => Math.round(value * 1e6) / 1e6;

/** A slider with its number: drags are one gesture, so that they are undone as one. */
export function SliderRow({
  label,
  value,
  min,
  max,
  unit = "",
  step = 1,
  ratio = false,
  disabled = false,
  onChange,
  onRelease,
}: {
  label: string;
  value: number;
  min: number;
  max: number;
  unit?: string;
  step?: number;
  /** Whether it is a factor, of which 1 lies in the middle: as far to the double as to the half. */
  ratio?: boolean;
  disabled?: boolean;
  onChange: (value: number, gesture: string) => void;
  onRelease?: () => void;
}) {
  const id = useId();
  const gesture = useRef("");
  /** What it stood at when it was taken hold of, and whether Escape put it back since. */
  const pulled = useRef<{ from: number; calledOff: boolean } | null>(null);
  const [place, valueAt] = ratio
    ? [(100 * Math.log(value)) / Math.log(max), (at: number) => Math.round(max ** (at / 100) / step) * step]
    : [value, (at: number) => at];
  return (
    <div className="grid grid-cols-[76px_1fr_58px] items-center gap-3">
      <span id={id} className={`text-ink-2 ${disabled ? "opacity-45" : ""}`}>
        {label}
      </span>
      <RadixSlider.Root
        className="relative flex h-5 touch-none items-center"
        disabled={disabled}
        min={ratio ? -100 : min}
        max={ratio ? 100 : max}
        step={ratio ? 1 : step}
        value={[place]}
        onPointerDown={() => {
          gesture.current = crypto.randomUUID();
          pulled.current = { from: value, calledOff: false };
          const key = (event: globalThis.KeyboardEvent) => {
            if (event.key !== "Escape" || !pulled.current || pulled.current.calledOff) return;
            event.preventDefault();
            event.stopImmediatePropagation();
            pulled.current.calledOff = true;
            onChange(pulled.current.from, gesture.current);
          };
          const over = () => {
            window.removeEventListener("keydown", key, { capture: true });
            pulled.current = null;
          };
          window.addEventListener("keydown", key, { capture: true });
          window.addEventListener("pointerup", over, { once: true });
          window.addEventListener("pointercancel", over, { once: true });
        }}
        onKeyDown={() => (gesture.current = gesture.current || crypto.randomUUID())}
        onValueChange={([next]) => {
          if (next !== undefined && !pulled.current?.calledOff)
            onChange(rounded(valueAt(next)), gesture.current);
        }}
        onValueCommit={() => {
          onRelease?.();
        }}
        onBlur={() => (gesture.current = "")}
      >
        <RadixSlider.Track className="relative h-[3px] grow rounded bg-line">
          <RadixSlider.Range className="absolute h-full rounded bg-jay data-[disabled]:bg-ink-3" />
        </RadixSlider.Track>
        <RadixSlider.Thumb
          aria-labelledby={id}
          aria-valuetext={ratio ? String(value) : undefined}
          className="block size-4 rounded-full border-[2.5px] border-jay bg-card transition-colors hover:bg-jay-soft data-[disabled]:border-ink-3"
        />
      </RadixSlider.Root>
      <span className="relative">
        <NumberField
          label={`${label}, number`}
          value={value}
          min={min}
          max={max}
          step={step}
          units={unit ? { [unit]: 1 } : {}}
          onCommit={(next) => {
            onChange(next, "");
            onRelease?.();
          }}
          className={`w-full text-right ${unit ? (unit.length > 1 ? "pr-6!" : "pr-5!") : ""} ${disabled ? "pointer-events-none opacity-45" : ""}`}
        />
        {unit && <span className="pointer-events-none absolute top-[4px] right-1.5 text-ink-3">{unit}</span>}
      </span>
    </div>
  );
}

export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="grid min-h-[26px] grid-cols-[76px_1fr] items-center gap-3">
      <span className="text-ink-2">{label}</span>
      <div className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</div>
    </div>
  );
}

export function Checkbox({
  label,
  checked,
  title,
  onChange,
}: {
  label: string;
  checked: boolean;
  title?: string;
  onChange: (checked: boolean) => void;
}) {
  return (
    <label className="inline-flex items-center gap-1.5 font-sans" title={title}>
      <input type="checkbox" checked={checked} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
  );
}

export function Select<T extends string>({
  label,
  value,
  choices,
  onChange,
}: {
  label: string;
  value: T;
  choices: readonly { value: T; label: string }[];
  onChange: (value: T) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      className="h-[26px] max-w-[185px] min-w-0 rounded-[6px] border border-line bg-card px-1.5 hover:border-ink-3"
      onChange={(event) => onChange(event.target.value as T)}
    >
      {choices.map((choice) => (
        <option key={choice.value} value={choice.value}>
          {choice.label}
        </option>
      ))}
    </select>
  );
}

export type Verdict = "fine" | "look" | "stop" | "busy";

const VERDICTS: Record<Verdict, { shape: string; ink: string; soft: string }> = {
  fine: { shape: "✓", ink: "text-fine", soft: "bg-fine-soft" },
  look: { shape: "▲", ink: "text-look", soft: "bg-look-soft" },
  stop: { shape: "■", ink: "text-stop", soft: "bg-stop-soft" },
  busy: { shape: "…", ink: "text-ink-3", soft: "bg-well" },
};

export function Mark({ verdict, word, chip = false }: { verdict: Verdict; word: string; chip?: boolean }) {
  const { shape, ink, soft } = VERDICTS[verdict];
  return (
    <span
      className={`inline-flex items-center gap-1 text-xs font-semibold whitespace-nowrap ${ink} ${chip ? `rounded-[6px] px-1.5 py-px ${soft}` : ""}`}
    >
      <span aria-hidden className={shape === "■" || shape === "▲" ? "text-[9px]" : ""}>
        {shape}
      </span>
      {word}
    </span>
  );
}
