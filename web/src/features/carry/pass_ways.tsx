import { Choices } from "../../ui/controls";

export type PassAreas = "as_drawn" | "found_again" | "leave_bound";
export type PassJoining = "replace" | "add";

interface Props {
  areas: PassAreas;
  joining: PassJoining;
  onAreas: (areas: PassAreas) => void;
  onJoining: (joining: PassJoining) => void;
}

const TOLD: Record<PassAreas, string> = {
  as_drawn: "Each pass acts at the same places of every frame.",
  found_again: "What was found is looked for anew on every frame; the rest stays as drawn. A second for each frame.",
  leave_bound: "Passes that were painted or picked on this frame stay here.",
};

/** How passes go to other frames: what becomes of their areas, and of passes that are there. */
export function PassWays({ areas, joining, onAreas, onJoining }: Props) {
  return (
    <section aria-label="How passes are carried" className="mt-3 border-t border-rule pt-2 text-xs">
      <Choices
        label="Areas of passes"
        value={areas}
        onChange={onAreas}
        options={[
          ["as_drawn", "as drawn"],
          ["found_again", "found again"],
          ["leave_bound", "not bound ones"],
        ]}
      />
      <p className="py-1 text-ink2">{TOLD[areas]}</p>
      <Joining what="Passes" {...{ joining, onJoining }} />
    </section>
  );
}

/** How repairs go to other frames: to the same places or where dust is seen, and what becomes of those that are there. */
export function RepairWays({
  alone,
  areas,
  joining,
  onAreas,
  onJoining,
}: Props & {
  /** No passes go along: how places are found and lists joined is chosen here. */
  alone: boolean;
}) {
  const again = areas === "found_again";
  return (
    <section aria-label="How repairs are carried" className="mt-3 border-t border-rule pt-2 text-xs">
      {alone && (
        <Choices
          label="Spots of dust"
          value={again ? "found_again" : "as_drawn"}
          onChange={onAreas}
          options={[
            ["as_drawn", "at the same places"],
            ["found_again", "where dust is seen"],
          ]}
        />
      )}
      <p className="py-1 text-ink2">
        {again
          ? "Each spot is looked for on every frame: those not seen are left out, the others get the size and the source that fit there."
          : "Repairs go to the same places of every frame, whatever is there."}{" "}
        Removals are filled anew on each.
      </p>
      {alone && <Joining what="Repairs" {...{ joining, onJoining }} />}
    </section>
  );
}

/** What becomes of those that are there. */
function Joining({ what, joining, onJoining }: Pick<Props, "joining" | "onJoining"> & { what: string }) {
  return (
    <Choices
      label={`${what} that are there`}
      value={joining}
      onChange={onJoining}
      options={[
        ["add", "added to theirs"],
        ["replace", "instead of theirs"],
      ]}
    />
  );
}
