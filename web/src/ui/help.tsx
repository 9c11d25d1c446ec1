// The keys, shown on `?`.

import { Dialog } from "radix-ui";
import { create } from "zustand";
import { Button } from "./controls";
import { useFocusBack } from "./refocus";

export const useHelp = create<{ open: boolean }>(() => ({ open: false }));

const KEYS: readonly [string, readonly (readonly [string, string])[]][] = [
  [
    "Play",
    [
      ["Space", "play or pause"],
      ["← →", "previous frame, next frame"],
      ["Shift ← →", "ten frames"],
      ["Home, End", "first frame, last frame"],
      [", .", "preview slower, faster"],
      ["\\", "play backwards, or forwards again"],
    ],
  ],
  [
    "Look",
    [
      ["1", "result"],
      ["2", "source"],
      ["3", "wipe between both"],
      ["4", "difference"],
      ["5", "last frame beside the first"],
      ["6", "error map"],
      ["7", "what changes from frame to frame"],
      ["L", "loupe: pixels of source and result"],
      ["N, Shift N", "onion skin; one, two or three each side"],
      ["X", "the crop box, or the result"],
      ["P", "the proof, or the result"],
      ["V", "trials side by side, or the result"],
      ["← → ↑ ↓", "move what is in focus: a box, a picture, a cut-out, an anchor; Shift by ten"],
      ["← → ↑ ↓", "in the scene: lead what flies there, two at once for a diagonal"],
      ["Alt ← → ↑ ↓", "a frame that is lined up, by a tenth of a pixel"],
      ["B", "next backdrop"],
      ["Z", "next zoom"],
    ],
  ],
  [
    "Contact view",
    [
      ["C", "all frames, or the playing picture"],
      ["← → ↑ ↓", "choose a frame; with Shift, up to it"],
      ["Space", "choose one more, or one less"],
      ["Alt ← →", "chosen frames earlier, later; or drag them"],
      ["Delete", "leave out, or put back"],
      ["I, O", "the range starts, ends here"],
    ],
  ],
  [
    "Work",
    [
      ["G R F T H", "gather, rhythm, framing, tuning, hand-off"],
      ["F6", "to the controls, and back"],
      ["PgUp, PgDn", "previous output, next output"],
      ["Ctrl Z", "undo"],
      ["Ctrl Shift Z", "redo"],
      ["Ctrl A", "select all frames"],
      ["Ctrl C, V", "copy delays, paste them on a selection"],
      ["S, Shift S", "select the frame on show, or a run up to it"],
      ["Alt ← →", "selected frames earlier, later"],
      ["I, O", "the range starts, ends here"],
      ["- + 0", "strip: zoom out, in, to fit"],
      ["[ ]", "selected frames shorter, longer"],
      ["Delete", "leave the selected frames out"],
      ["Esc", "select nothing"],
    ],
  ],
  [
    "Anywhere",
    [
      ["/", "find a project (on the shelf, in the table)"],
      ["Space", "choose a project, or let it go; with Shift, all up to it"],
      ["Ctrl A", "choose all projects (in the table, or once one is chosen)"],
      ["F8", "to the newest message, and back"],
      ["?", "this list"],
    ],
  ],
];

function FocusBack() {
  useFocusBack();
  return null;
}

export function Help() {
  const open = useHelp((state) => state.open);
  return (
    <Dialog.Root modal={false} open={open} onOpenChange={(next) => useHelp.setState({ open: next })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          data-keys-pass // they are there to be tried
          className="fixed right-4 bottom-4 z-40 max-h-[calc(100vh-32px)] w-[860px] max-w-[calc(100vw-32px)] overflow-y-auto rounded-[12px] border border-line bg-card p-5 shadow-xl"
        >
          <FocusBack />
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="text-base font-semibold">Keys</Dialog.Title>
            <Dialog.Close asChild>
              <Button look="quiet" aria-label="Close the list of keys">
                ×
              </Button>
            </Dialog.Close>
          </div>
          <div className="columns-3 gap-x-8 *:mb-4 *:break-inside-avoid">
            {KEYS.map(([group, keys]) => (
              <section key={group}>
                <h3 className="mb-1 font-semibold text-ink-2">{group}</h3>
                <dl className="grid grid-cols-[92px_1fr] gap-x-2 gap-y-1">
                  {keys.map(([key, what]) => (
                    <div key={what} className="contents">
                      <dt className="figure text-xs leading-5">{key}</dt>
                      <dd className="text-ink-2">{what}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <p className="mt-4 text-ink-2">
            In a number field: ↑ ↓ change by one, with Shift by ten; Enter takes the value, Esc takes it back.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
