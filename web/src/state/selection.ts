import { create } from "zustand";

interface Selection {
  shoot: number;
  /** Ids of the chosen frames of that shoot; kept while one goes between sheet and bench. */
  chosen: ReadonlySet<number>;
  choose: (shoot: number, chosen: Iterable<number>) => void;
}

const NONE: ReadonlySet<number> = new Set();

export const useSelection = create<Selection>((set) => ({
  shoot: 0,
  chosen: NONE,
  choose: (shoot, chosen) => set({ shoot, chosen: new Set(chosen) }),
}));

/** What is chosen of one shoot. */
export const useChosen = (shoot: number): ReadonlySet<number> =>
  useSelection((s) => (s.shoot === shoot ? s.chosen : NONE));

export const chosenOf = (shoot: number): ReadonlySet<number> => {
  const s = useSelection.getState();
  return s.shoot === shoot ? s.chosen : NONE;
};
