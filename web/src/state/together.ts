import { create } from "zustand";

/** Frames that are edited together: what is done to the one on the bench is done to all. */
interface Together {
  shoot: number;
  /** Frame id -> the version that is edited along. Empty: off. */
  members: ReadonlyMap<number, number>;
  /** Numbers change by as much as here, instead of to the same value. */
  asChange: boolean;
  begin: (shoot: number, members: Iterable<readonly [number, number]>) => void;
  end: () => void;
  setAsChange: (asChange: boolean) => void;
}

const NOBODY: ReadonlyMap<number, number> = new Map();

export const useTogether = create<Together>((set) => ({
  shoot: 0,
  members: NOBODY,
  asChange: false,
  begin: (shoot, members) => set({ shoot, members: new Map(members) }),
  end: () => set({ members: NOBODY }),
  setAsChange: (asChange) => set({ asChange }),
}));

/** What a change of a version says about those that are edited along. */
export function alongWith(version: number): { together: number[]; as_change: boolean } {
  const { members, asChange } = useTogether.getState();
  const versions = [...members.values()];
  return versions.includes(version) && versions.length > 1
    ? { together: versions, as_change: asChange }
    : { together: [], as_change: false };
}
