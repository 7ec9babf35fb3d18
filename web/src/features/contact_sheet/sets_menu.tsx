import { DropdownMenu } from "radix-ui";
import type { FrameSet } from "../../state/frames";
import { Button } from "../../ui/controls";
import { ITEM, MENU } from "../../ui/menu";
import { KINDS, keepSets, leaveSets, makeSet, proposeSets } from "./sets";

interface Props {
  shoot: number;
  sets: readonly FrameSet[];
  chosen: number[];
  allOpen: boolean;
  setAllOpen: (open: boolean) => void;
}

/** Brackets, sweeps and series of the shoot: proposed, kept, made by hand, folded. */
export function SetsMenu({ shoot, sets, chosen, allOpen, setAllOpen }: Props) {
  const proposed = sets.filter((s) => s.state === "proposed").length;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>
          {sets.length ? `${sets.length} set${sets.length === 1 ? "" : "s"}` : "Sets"}
          {proposed > 0 && (
            <span className="text-xs font-normal text-ink2 max-[1180px]:hidden">{proposed} proposed</span>
          )}
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={6} className={MENU}>
          <DropdownMenu.Item className={ITEM} disabled={!sets.length} onSelect={() => setAllOpen(!allOpen)}>
            {allOpen ? "Fold all sets" : "Open all sets"}
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} disabled={!proposed} onSelect={() => void keepSets(sets)}>
            Keep the proposed ones
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => void proposeSets(shoot)}>
            Look for sets again
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Sub>
            <DropdownMenu.SubTrigger className={ITEM} disabled={chosen.length < 2}>
              Make the selected a set <span className="ml-auto pl-4">{"\u25B8"}</span>
            </DropdownMenu.SubTrigger>
            <DropdownMenu.Portal>
              <DropdownMenu.SubContent className={MENU}>
                {KINDS.map(([kind, name]) => (
                  <DropdownMenu.Item key={kind} className={ITEM} onSelect={() => void makeSet(chosen, kind)}>
                    {name}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.SubContent>
            </DropdownMenu.Portal>
          </DropdownMenu.Sub>
          <DropdownMenu.Item className={ITEM} disabled={!chosen.length} onSelect={() => void leaveSets(chosen)}>
            Take the selected out of their set
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
