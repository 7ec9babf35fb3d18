import type { Frame } from "../../api/client";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { SheetDialog } from "../../ui/sheet_dialog";
import { makeEach, tooMany } from "./merging";

interface Props {
  shoot: number;
  /** Chosen brackets, a list of frames each. */
  groups: readonly number[][];
  frames: readonly Frame[];
  onClose: () => void;
}

/** Several brackets are chosen: a master of each, or all of them places of one view. */
export function MergeDialog({ shoot, groups, frames, onClose }: Props) {
  const chosen = new Set(groups.flat());
  const ids = frames
    .filter((f) => chosen.has(f.id))
    .sort((a, b) => (a.captured_at ?? "").localeCompare(b.captured_at ?? "") || a.name.localeCompare(b.name))
    .map((f) => f.id);
  const refused = tooMany("panorama", ids.length);
  const each = () => {
    onClose();
    void makeEach(groups);
  };
  const together = () => {
    onClose();
    go({ place: "merge", shoot, frames: ids, as: "panorama" });
  };
  const row = "flex items-center gap-4 border-b border-rule px-5 py-3.5 last:border-0";
  return (
    <SheetDialog
      title="Merge"
      about={`${ids.length} frames, ${groups.length} brackets`}
      wide={false}
      onClose={onClose}
      foot={
        <Button className="ml-auto" onClick={onClose}>
          Cancel
        </Button>
      }
    >
      <div className={row}>
        <p className="grow">
          Each bracket by itself.
          <span className="block text-sm text-ink2">{`${groups.length} masters, made as they are best found.`}</span>
        </p>
        <Button onClick={each}>{`Make ${groups.length} masters`}</Button>
      </div>
      <div className={row}>
        <p className="grow">
          One view, taken at several exposures.
          <span className="block text-sm text-ink2">
            {refused || "Each place is merged first, then the places become a panorama."}
          </span>
        </p>
        <Button disabled={refused !== ""} onClick={together}>
          To a panorama
        </Button>
      </div>
    </SheetDialog>
  );
}
