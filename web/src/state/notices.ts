import { create } from "zustand";

export interface Notice {
  id: number;
  text: string;
  bad: boolean;
  /** What can be done about it. */
  action?: Action;
}

interface Action {
  words: string;
  run: () => void;
}

interface Notices {
  list: Notice[];
  say: (text: string, bad?: boolean, action?: Action) => void;
  dismiss: (id: number) => void;
}

let next = 1;

/** Sentences at the foot of the window. Bad ones stay until they are dismissed. */
export const useNotices = create<Notices>((set) => ({
  list: [],
  say: (text, bad = false, action) => {
    const id = next++;
    set((s) => ({
      list: [...s.list.filter((n) => n.text !== text).slice(-3), { id, text, bad, ...(action ? { action } : {}) }],
    }));
    // what can be undone stays long enough to be read and reached
    const ms = action ? 15_000 : 5000;
    if (!bad) setTimeout(() => set((s) => ({ list: s.list.filter((n) => n.id !== id) })), ms);
  },
  dismiss: (id) => set((s) => ({ list: s.list.filter((n) => n.id !== id) })),
}));

export const complain = (error: unknown): void =>
  useNotices.getState().say(error instanceof Error ? error.message : String(error), true);
