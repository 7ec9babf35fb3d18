import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { api, type Frame, need } from "../../api/client";
import { Button } from "../../ui/controls";
import { useFocusReturn } from "../../ui/focus";
import { putInto, rename } from "./arranging";

const BOX =
  "fixed left-1/2 top-1/2 z-40 w-[480px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5 shadow-xl";
const FIELD = "h-8 min-w-0 border border-ink3 bg-white px-2";
const PARTS = ["{name}", "{number}", "{date}", "{time}", "{shoot}"];
const stem = (name: string) => name.replace(/\.[^.]+$/, "");

/** What frames would be called, told by the server a moment after the pattern was typed. */
function usePreview(frames: readonly Frame[], pattern: string, first_number: number) {
  const [found, setFound] = useState<{ names: string[]; problem: string }>({ names: [], problem: "" });
  const list = frames.map((f) => f.id).join(",");
  useEffect(() => {
    let wanted = true;
    const later = setTimeout(() => {
      const body = { frames: list.split(",").map(Number), pattern, first_number };
      need(api.POST("/api/frames/names/preview", { body }))
        .then(({ names }) => wanted && setFound({ names, problem: "" }))
        .catch((e: unknown) => wanted && setFound({ names: [], problem: e instanceof Error ? e.message : String(e) }));
    }, 150);
    return () => {
      wanted = false;
      clearTimeout(later);
    };
  }, [list, pattern, first_number]);
  return found;
}

/** Calls one frame or many by a pattern; their files keep their names. */
export function RenameDialog({ frames, onClose }: { frames: readonly Frame[]; onClose: () => void }) {
  const focus = useFocusReturn();
  const one = frames.length === 1;
  const [pattern, setPattern] = useState(one ? stem(frames[0]?.name ?? "") : "{name}");
  const [first, setFirst] = useState(1);
  const { names, problem } = usePreview(frames, pattern || " ", first);
  const shown = names.length > 4 ? [...names.slice(0, 3), "\u2026", names.at(-1)] : names;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content aria-describedby={undefined} {...focus} className={BOX}>
          <Dialog.Title className="mb-3 font-slab text-xl font-semibold">
            Rename {one ? frames[0]?.name : `${frames.length} frames`}
          </Dialog.Title>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              const ids = frames.map((f) => f.id);
              if (!problem) void rename(ids, pattern, first).then((done) => done && onClose());
            }}
          >
            <label className="flex flex-col gap-1">
              <span className="text-sm text-ink2">Name, without the ending</span>
              <input
                value={pattern}
                maxLength={200}
                onFocus={(e) => e.currentTarget.select()}
                onChange={(e) => setPattern(e.currentTarget.value)}
                className={FIELD}
              />
            </label>
            <div className="mt-1.5 flex flex-wrap items-center gap-1.5">
              {PARTS.map((part) => (
                <Button
                  key={part}
                  quiet
                  aria-label={`Put ${part} into the name`}
                  onClick={() => setPattern(`${pattern} ${part}`.trim())}
                >
                  {part}
                </Button>
              ))}
            </div>
            {pattern.includes("{number}") && (
              <label className="mt-2 flex items-center gap-2 text-sm">
                first number
                <input
                  type="number"
                  min={0}
                  max={1_000_000}
                  value={first}
                  onChange={(e) => setFirst(Math.max(0, Math.round(Number(e.currentTarget.value)) || 0))}
                  className={`${FIELD} w-24`}
                />
              </label>
            )}
            <ul aria-label="New names" className="mt-3 min-h-24 border-t border-rule pt-2 text-sm">
              {shown.map((name) => (
                <li key={name} className="truncate">
                  {name}
                </li>
              ))}
              {problem && (
                <li role="alert" className="font-medium text-wax">
                  {problem}
                </li>
              )}
            </ul>
            <p className="text-xs text-ink2">Files keep their names. Deliveries are called by the new ones.</p>
            <div className="mt-3 flex justify-end gap-2">
              <Button onClick={onClose}>Cancel</Button>
              <Button ink type="submit" disabled={Boolean(problem) || !names.length}>
                Rename
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** Puts frames into a folder of their shoot, one that is there or a new one. */
export function FolderDialog({
  frames,
  folders,
  onClose,
}: {
  frames: readonly Frame[];
  folders: readonly string[];
  onClose: () => void;
}) {
  const focus = useFocusReturn();
  const common = new Set(frames.map((f) => f.folder));
  const [folder, setFolder] = useState(common.size === 1 ? (frames[0]?.folder ?? "") : "");
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content aria-describedby={undefined} {...focus} className={BOX}>
          <Dialog.Title className="mb-3 font-slab text-xl font-semibold">
            Folder of {frames.length === 1 ? frames[0]?.name : `${frames.length} frames`}
          </Dialog.Title>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              const ids = frames.map((f) => f.id);
              void putInto(ids, folder).then((done) => done && onClose());
            }}
          >
            <label className="flex flex-col gap-1">
              <span className="text-sm text-ink2">Folder of the shoot; empty for none</span>
              <input
                value={folder}
                maxLength={400}
                list="folders-of-the-shoot"
                placeholder="doors/left"
                onChange={(e) => setFolder(e.currentTarget.value)}
                className={FIELD}
              />
            </label>
            <datalist id="folders-of-the-shoot">
              {folders.map((f) => (
                <option key={f} value={f} />
              ))}
            </datalist>
            <p className="mt-2 text-xs text-ink2">Files stay where they are; the folder is one of the sheet.</p>
            <div className="mt-3 flex justify-end gap-2">
              <Button onClick={onClose}>Cancel</Button>
              <Button ink type="submit">
                {folder.trim() ? "Put into it" : "Take out of folders"}
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
