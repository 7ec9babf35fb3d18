import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useFocusReturn } from "./focus";
import { isTyped } from "./typing";

const KEYS: [string, [string, string][]][] = [
  [
    "Everywhere",
    [
      ["K, M, D", "keep, maybe, drop; once more takes the mark away"],
      ["1 to 5, 0", "stars, none"],
      ["Ctrl+K", "find a frame, a shoot, a control, a step, a preset by name"],
      ["?", "this list"],
    ],
  ],
  [
    "Contact sheet",
    [
      ["arrows", "next frame; with Shift adds those on the way"],
      ["Page up, Page down", "a screen further"],
      ["Home, End", "first, last frame"],
      ["Enter", "open on the bench"],
      ["6 to 9", "the first four labels"],
      ["Space, I", "open or fold the set; facts of the frame"],
      ["Ctrl+A, Esc", "select all, none"],
      ["S", "2 to 8 frames side by side"],
      ["C", "carry to other frames, with the fit check"],
      ["Ctrl+C, Ctrl+V", "copy the adjustments, put them on the selected frames"],
      ["Ctrl+Z", "take the last step over several frames back"],
      ["Alt+left, right", "move the selected frames in the order by hand"],
      ["F2", "rename"],
      ["Delete", "take out of the shoot"],
    ],
  ],
  [
    "Bench",
    [
      ["left, right", "frame before, next"],
      ["Shift+1 to 8", "Framing, Balance, Tone, Colour, Definition, Repair, Passes, Finish"],
      ["O, Shift+O", "hold the original, split"],
      ["Shift+S", "original and adjusted side by side"],
      ["Z", "magnifier at the pointer"],
      ["P, Alt+click", "pin the values of a place; once more takes it away"],
      ["F", "fit and 1:1"],
      ["B", "the picture alone, and back"],
      ["I", "facts of the file"],
      ["W, G", "warnings; colours that the delivery cannot hold"],
      ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo"],
      ["Ctrl+C, Ctrl+V", "copy the adjustments, put them on another frame"],
      ["L, T", "same as the last corrected frame; edit together"],
      ["arrows on a gauge", "one step; Shift ten; Delete resets"],
      ["arrows on a handle", "moves it by a pixel of the screen; Shift ten"],
      ["Esc", "leaves a drag or the picker as it was"],
    ],
  ],
  [
    "Merge table",
    [
      ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo a switch, a setting or a stroke"],
      ["O", "what it would be without what the merge is made for"],
      ["F", "larger, and whole again"],
      ["Esc", "to the sheet; what was set is kept"],
    ],
  ],
  [
    "Repair",
    [
      ["[, ]", "smaller, larger brush; with Shift softer, harder"],
      ["Alt+press, Alt+Enter", "picks where clone and heal come from, or the colour of a cover"],
      ["E", "the brush paints or rubs out of the open repair"],
      ["N, Shift+N", "another place to take it from, another fill; in the walk the next spot"],
      ["Y, X", "in the walk: mend the spot, leave it"],
      ["A", "dust light on and off"],
      ["arrows on a handle", "move the place, or where it comes from"],
    ],
  ],
  [
    "Passes",
    [
      ["H", "hold: where the pass acts, alone in grey"],
      ["A", "the film over the picture, on and off"],
      ["[, ]", "smaller, larger brush; with Shift softer, harder"],
      ["E", "the brush paints or rubs out"],
      ["Shift while painting", "a straight stroke from the end of the last"],
      ["arrows, Enter", "with the keyboard on the picture: move, and paint or pick there"],
    ],
  ],
];

/** All keys, opened with the question mark. */
export function KeysDialog() {
  const [open, setOpen] = useState(false);
  const focus = useFocusReturn();
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (e.key !== "?" || isTyped(e)) return;
      e.preventDefault();
      setOpen(true);
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          {...focus}
          tabIndex={0}
          className="fixed left-1/2 top-1/2 z-40 max-h-[calc(100vh-48px)] w-[520px] overflow-y-auto -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Dialog.Title className="mb-2 font-slab text-xl font-semibold">Keys</Dialog.Title>
          {KEYS.map(([place, rows]) => (
            <section key={place} className="mb-2">
              <h3 className="border-b border-rule font-semibold">{place}</h3>
              <dl className="grid grid-cols-[170px_1fr] gap-y-1 pt-1.5">
                {rows.map(([key, what]) => (
                  <div key={key} className="contents">
                    <dt className="font-medium">{key}</dt>
                    <dd className="text-ink2">{what}</dd>
                  </div>
                ))}
              </dl>
            </section>
          ))}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
