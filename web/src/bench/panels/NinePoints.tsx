// Nine buttons for the points to lie at: the corners, the middles of the edges, and the middle.

import { POINTS, type Point } from "../points";

export function NinePoints({
  label,
  chosen,
  disabled = false,
  onChoose,
}: {
  label: string;
  chosen: (point: Point) => boolean;
  disabled?: boolean;
  onChoose: (point: Point) => void;
}) {
  return (
    <div role="group" aria-label={label} className="grid grid-cols-3 gap-0.5">
      {POINTS.map((point) => (
        <button
          key={point}
          type="button"
          aria-label={point.replace("-", " ")}
          aria-pressed={chosen(point)}
          // what has the focus keeps it meanwhile
          aria-disabled={disabled}
          title={point.replace("-", " ")}
          onClick={() => {
            if (!disabled) onChoose(point);
          }}
          className="size-[18px] rounded-[4px] border border-line bg-card hover:border-ink-3 aria-pressed:border-jay aria-pressed:bg-jay aria-disabled:opacity-45"
        />
      ))}
    </div>
  );
}
