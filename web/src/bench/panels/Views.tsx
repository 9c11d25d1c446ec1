// One picture cut into the views that lie side by side on it.

import { useEffect, useState } from "react";
import { Button, NumberField, Row, Segmented } from "../../ui/controls";
import type { Bench } from "../edits";
import { useFlight } from "../flight";
import { useViews, viewSize, type Grid } from "../views";

export function Views({ bench }: { bench: Bench }) {
  const { project } = bench;
  const { open, grid } = useViews();
  const [cutting, setCutting] = useState(false);
  useEffect(() => () => useViews.setState({ open: false }), []);
  const set = (change: Partial<Grid>) => useViews.setState({ grid: { ...grid, ...change } });
  const size = viewSize(grid, project.width, project.height);
  const cut = async () => {
    setCutting(true);
    if (await bench.cut(grid)) useViews.setState({ open: false });
    setCutting(false);
  };
  return (
    <div className="flex flex-col gap-2 border-t border-line pt-2.5">
      <span className="flex items-center justify-between">
        <h3 className="font-semibold">Views on one picture</h3>
        <Button
          className="h-[26px]!"
          aria-expanded={open}
          onClick={() => {
            useFlight.setState({ open: false });
            useViews.setState({ open: !open });
          }}
        >
          {open ? "Close" : "Cut into views…"}
        </Button>
      </span>
      {open && (
        <>
          <Row label="Views">
            <NumberField
              label="Views across"
              value={grid.across}
              min={1}
              max={100}
              onCommit={(across) => set({ across })}
            />
            <span className="text-ink-2">×</span>
            <NumberField
              label="Views down"
              value={grid.down}
              min={1}
              max={100}
              onCommit={(down) => set({ down })}
            />
            <span className="text-ink-2">across, down</span>
          </Row>
          <Row label="Gutter">
            <NumberField
              label="Gutter"
              units={{ px: 1 }}
              value={grid.gutter}
              min={0}
              max={4096}
              onCommit={(gutter) => set({ gutter })}
            />
            <span className="text-ink-2">px between two views</span>
          </Row>
          <Row label="Order">
            <Segmented
              label="Order of the views"
              value={grid.order}
              choices={[
                { value: "rows", label: "by rows" },
                { value: "columns", label: "by columns" },
              ]}
              onChange={(order) => set({ order })}
            />
          </Row>
          <p className="text-xs text-ink-2">
            {size
              ? `Each ${size.width} × ${size.height}.${leftOver(size)}`
              : `▲ ${project.width} × ${project.height} pixels do not hold so many views.`}
          </p>
          <Button
            look="strong"
            className="self-start"
            disabled={!size || cutting || grid.across * grid.down < 2}
            onClick={() => void cut()}
          >
            {cutting ? "Cutting…" : `Cut into ${grid.across} × ${grid.down}`}
          </Button>
          <p className="text-xs text-ink-2">The picture stays as it is; undo brings it back.</p>
        </>
      )}
    </div>
  );
}

function leftOver({ right, below }: { right: number; below: number }): string {
  const parts = [right > 0 && `${right} px at the right`, below > 0 && `${below} px below`].filter(Boolean);
  return parts.length > 0 ? ` In none: ${parts.join(" and ")}.` : "";
}
