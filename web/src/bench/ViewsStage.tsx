// The picture with the lines along which it will be cut into views, numbered in their order.

import { useRoom } from "../ui/useRoom";
import type { Bench } from "./edits";
import type { Shown } from "./useShown";
import { useViews, viewSize } from "./views";
import { WholeFrames } from "./WholeFrames";

/** More views than this are drawn without their numbers. */
const NUMBERED = 60;

export function ViewsStage({ bench, shown }: { bench: Bench; shown: Shown | null }) {
  const { project } = bench;
  const [area, room] = useRoom();
  const grid = useViews((state) => state.grid);
  const scale = Math.min(room.width / project.width, room.height / project.height, 4) || 0;
  const view = viewSize(grid, project.width, project.height);
  const count = view ? grid.across * grid.down : 0;
  return (
    <section aria-label="Views" className="relative min-h-0 overflow-hidden rounded-[12px] bg-stage">
      <div ref={area} className="absolute inset-4">
        <div
          className="chequer absolute top-1/2 left-1/2 -translate-1/2"
          style={{ width: `${project.width * scale}px`, height: `${project.height * scale}px` }}
        >
          <WholeFrames bench={bench} shown={shown} />
          {view &&
            Array.from({ length: Math.min(count, 400) }, (_, at) => {
              const [x, y] =
                grid.order === "rows"
                  ? [at % grid.across, Math.floor(at / grid.across)]
                  : [Math.floor(at / grid.down), at % grid.down];
              return (
                <span
                  key={at}
                  className="absolute shadow-[inset_0_0_0_1px_#fff,inset_0_0_0_2px_rgb(20_24_30/0.8)]"
                  style={{
                    left: `${x * (view.width + grid.gutter) * scale}px`,
                    top: `${y * (view.height + grid.gutter) * scale}px`,
                    width: `${view.width * scale}px`,
                    height: `${view.height * scale}px`,
                  }}
                >
                  {count <= NUMBERED && (
                    <span className="figure absolute top-1.5 left-1.5 rounded-[5px] bg-[#1c2530]/90 px-1.5 text-xs text-[#fffdf9]">
                      {at + 1}
                    </span>
                  )}
                </span>
              );
            })}
        </div>
      </div>
    </section>
  );
}
