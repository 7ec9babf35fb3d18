import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import type { Mark } from "../../api/client";
import { INKS, type Label } from "../../state/labels";
import { Button } from "../../ui/controls";
import { ITEM, MENU } from "../../ui/menu";

export interface Deeds {
  mark: (mark: Mark) => void;
  label: (name: string) => void;
  open: () => void;
  sideBySide: () => void;
  merge: () => void;
  deliver: () => void;
  carry: () => void;
  evenOut: () => void;
  together: () => void;
  preset: () => void;
  reset: () => void;
  remove: () => void;
  invert: () => void;
  selectAll: () => void;
  selectSame: (of: "mark" | "stars" | "label" | "camera" | "lens" | "folder") => void;
  editLabels: () => void;
  describe: () => void;
  rename: () => void;
  folder: () => void;
  takenOut: () => void;
  undoStep: () => void;
}

interface Props {
  words: string;
  count: number;
  labels: readonly Label[];
  deeds: Deeds;
  /** Menus beside the count. */
  children?: ReactNode;
}

const SAMES = [
  ["mark", "mark"],
  ["stars", "stars"],
  ["label", "label"],
  ["camera", "camera"],
  ["lens", "lens"],
  ["folder", "folder"],
] as const;

/** What can be done with the chosen frames. */
export function SheetActions({ words, count, labels, deeds, children }: Props) {
  const none = count === 0;
  return (
    <footer className="flex min-h-[52px] shrink-0 flex-wrap items-center gap-2 border-t border-ink bg-paper px-4 py-1.5 max-[1180px]:gap-1.5">
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>
            <b className="font-semibold">{words}</b>
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" sideOffset={6} className={MENU}>
            <DropdownMenu.Item className={ITEM} onSelect={deeds.selectAll}>
              Select all <span className="ml-auto pl-6 text-xs text-ink2">Ctrl+A</span>
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} onSelect={deeds.invert}>
              Select the others
            </DropdownMenu.Item>
            {SAMES.map(([of, name]) => (
              <DropdownMenu.Item key={of} className={ITEM} onSelect={() => deeds.selectSame(of)}>
                Select the same {name}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {children}
      <span className="grow" />
      {(["keep", "maybe", "drop"] as const).map((m) => (
        <Button key={m} disabled={none} onClick={() => deeds.mark(m)} aria-keyshortcuts={m[0]}>
          {{ keep: "Keep", maybe: "Maybe", drop: "Drop" }[m]}
          <span className="text-xs text-ink3 max-[1180px]:hidden">{m[0]?.toUpperCase()}</span>
        </Button>
      ))}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button disabled={none}>Label</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className={MENU}>
            {labels.map((label, i) => (
              <DropdownMenu.Item key={label.name} className={ITEM} onSelect={() => deeds.label(label.name)}>
                <span className="inline-block h-3 w-4 rounded-[2px]" style={{ background: INKS[label.ink] }} />
                {label.name}
                {i < 4 && <span className="ml-auto text-xs text-ink2">{i + 6}</span>}
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item className={ITEM} onSelect={() => deeds.label("")}>
              <span className="inline-block h-3 w-4" />
              none
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-rule" />
            <DropdownMenu.Item className={ITEM} onSelect={deeds.editLabels}>
              Change the labels
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>Describe</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className={MENU}>
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.describe}>
              Title, caption, keywords, rights
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.rename}>
              Rename <span className="ml-auto pl-6 text-xs text-ink2">F2</span>
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.folder}>
              Folder
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-rule" />
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.remove}>
              Take out of the shoot <span className="ml-auto pl-6 text-xs text-ink2">Del</span>
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} onSelect={deeds.takenOut}>
              What was taken out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <span className="mx-1 h-5 w-px bg-rule max-[1180px]:mx-0" />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>Adjust</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className={MENU}>
            <DropdownMenu.Item className={ITEM} disabled={count < 2} onSelect={deeds.together}>
              Edit together
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.preset}>
              Apply a preset
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} disabled={count < 2} onSelect={deeds.evenOut}>
              Even out light
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} disabled={none} onSelect={deeds.reset}>
              Reset all adjustments
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-rule" />
            <DropdownMenu.Item className={ITEM} onSelect={deeds.undoStep}>
              Take the last step back <span className="ml-auto pl-6 text-xs text-ink2">Ctrl+Z</span>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Button disabled={none} onClick={deeds.carry}>
        Carry
      </Button>
      <Button disabled={count < 2 || count > 8} onClick={deeds.sideBySide}>
        Side by side
      </Button>
      <Button disabled={none} onClick={deeds.merge}>
        Merge
      </Button>
      <Button disabled={none} onClick={deeds.open}>
        Open
      </Button>
      <Button ink disabled={none} onClick={deeds.deliver}>
        Deliver {count > 1 ? count : ""}
      </Button>
    </footer>
  );
}
