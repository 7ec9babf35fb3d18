import { Dialog } from "radix-ui";
import { useState } from "react";
import { INKS, type Label, saveLabels, useKnownLabels } from "../../state/labels";
import { Button } from "../../ui/controls";
import { useFocusReturn } from "../../ui/focus";

const INK_NAMES = Object.keys(INKS) as Label["ink"][];

/** The words of the labels and a colour for each; frames keep the words they have. */
export function LabelsDialog({ onClose }: { onClose: () => void }) {
  const focus = useFocusReturn();
  const labels = useKnownLabels();
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          {...focus}
          className="fixed left-1/2 top-1/2 z-40 w-[400px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 font-slab text-xl font-semibold">Labels</Dialog.Title>
          {labels ? <Rows labels={labels} onClose={onClose} /> : <Button onClick={onClose}>Cancel</Button>}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Rows({ labels, onClose }: { labels: Label[]; onClose: () => void }) {
  const [read] = useState(labels);
  const [list, setList] = useState(labels.map((label) => ({ ...label, key: crypto.randomUUID() })));
  const change = (key: string, part: Partial<Label>) =>
    setList(list.map((l) => (l.key === key ? { ...l, ...part } : l)));
  const names = list.map((l) => l.name.trim());
  const bad = names.some((n) => !n) || new Set(names).size !== names.length;
  return (
    <>
      <ul className="mb-3 flex flex-col gap-1.5">
        {list.map((label, i) => (
          <li key={label.key} className="flex items-center gap-2">
            <span className="w-4 text-right text-xs text-ink2">{i < 4 ? i + 6 : ""}</span>
            <span className="h-5 w-6 rounded-[2px]" style={{ background: INKS[label.ink] }} />
            <input
              aria-label={`Label ${i + 1}`}
              value={label.name}
              maxLength={40}
              onChange={(e) => change(label.key, { name: e.currentTarget.value })}
              className="h-7 min-w-0 grow border border-rule bg-white px-2"
            />
            <select
              aria-label={`Colour of label ${i + 1}`}
              value={label.ink}
              onChange={(e) => change(label.key, { ink: e.currentTarget.value as Label["ink"] })}
              className="h-7 border border-rule bg-sheet px-1"
            >
              {INK_NAMES.map((ink) => (
                <option key={ink} value={ink}>
                  {ink}
                </option>
              ))}
            </select>
            <Button
              quiet
              aria-label={`Take label ${i + 1} away`}
              onClick={() => setList(list.filter((l) => l !== label))}
            >
              {"\u00d7"}
            </Button>
          </li>
        ))}
      </ul>
      <div className="flex items-center gap-2">
        <Button
          disabled={list.length >= 12}
          onClick={() => setList([...list, { name: "", ink: "ink", key: crypto.randomUUID() }])}
        >
          Add one
        </Button>
        <span className="grow" />
        <Button onClick={onClose}>Cancel</Button>
        <Button
          ink
          disabled={bad}
          onClick={() => {
            const mine = list.map(({ name, ink }) => ({ name: name.trim(), ink }));
            void saveLabels(mine, read);
            onClose();
          }}
        >
          Save
        </Button>
      </div>
    </>
  );
}
