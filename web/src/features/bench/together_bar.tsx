import { useTogether } from "../../state/together";
import { Button, Choices } from "../../ui/controls";

/** Always in sight while frames are edited together: how many, and whether numbers go along as values or as changes. */
export function TogetherBar({ shoot }: { shoot: number }) {
  const { members, asChange, shoot: of, end, setAsChange } = useTogether();
  if (of !== shoot || members.size < 2) return null;
  return (
    <div role="status" className="flex h-9 shrink-0 items-center gap-4 border-b border-ink bg-wax px-3.5 text-white">
      <b className="font-semibold">{members.size} frames are edited together</b>
      <span className="rounded-[2px] bg-sheet px-2 py-0.5 text-ink">
        <Choices
          label="How numbers go along"
          value={asChange ? "change" : "value"}
          onChange={(v) => setAsChange(v === "change")}
          options={[
            ["value", "to the same value"],
            ["change", "by the same change"],
          ]}
        />
      </span>
      <span className="grow" />
      <Button onClick={end} className="text-ink">
        End it <span className="text-xs text-ink2">Esc</span>
      </Button>
    </div>
  );
}
