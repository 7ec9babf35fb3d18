import type { ReactNode } from "react";
import { Hint } from "../../../ui/controls";

/** A small button of a row: a picture whose name is its hint. */
export function Act({ label, icon, onClick }: { label: string; icon: ReactNode; onClick: () => void }) {
  return (
    <Hint text={label}>
      <button
        type="button"
        aria-label={label}
        onClick={onClick}
        className="flex h-6 w-6 items-center justify-center rounded-[2px] border border-transparent text-ink2 hover:border-rule hover:text-ink"
      >
        {icon}
      </button>
    </Hint>
  );
}
