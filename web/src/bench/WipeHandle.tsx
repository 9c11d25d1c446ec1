// What a wipe between two pictures is pulled by.

import { valueBy } from "../ui/slider";
import { useView } from "./view";

export function WipeHandle({ wipe, name }: { wipe: number; name: string }) {
  const set = (to: number) => useView.setState({ wipe: Math.min(1, Math.max(0, to)) });
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(wipe * 100)}
      className="absolute inset-y-[-10px] w-[28px] -translate-x-1/2 cursor-ew-resize touch-none"
      style={{ left: `${wipe * 100}%` }}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        const box = event.currentTarget.parentElement?.getBoundingClientRect();
        if (box && event.currentTarget.hasPointerCapture(event.pointerId))
          set((event.clientX - box.left) / box.width);
      }}
      onKeyDown={(event) => {
        const to = valueBy(event.key, { value: wipe, min: 0, max: 1, step: 0.02, page: 0.1 });
        if (to === null) return;
        event.preventDefault();
        set(to);
      }}
    >
      <span className="absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2 bg-white shadow-[0_0_0_1px_rgb(0_0_0/0.45)]" />
      <span className="absolute top-1/2 left-1/2 size-6 -translate-1/2 rounded-full bg-white shadow-[0_0_0_1px_rgb(0_0_0/0.3),0_1px_5px_rgb(0_0_0/0.4)]" />
    </div>
  );
}
