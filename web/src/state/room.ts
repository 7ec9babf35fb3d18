import { create } from "zustand";

/** How much of the window the picture has: what is folded away, and the picture alone. Folding is remembered by the browser. */
interface Room {
  panel: boolean;
  strip: boolean;
  /** Bars and panels away, the picture as large as the screen. */
  alone: boolean;
  fold: (what: "panel" | "strip") => void;
  setAlone: (alone: boolean) => void;
}

const KEY = "zincplate.folded";

function remembered(): { panel: boolean; strip: boolean } {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}") as Record<string, unknown>;
    return { panel: kept.panel !== false, strip: kept.strip !== false };
  } catch {
    return { panel: true, strip: true };
  }
}

export const useRoom = create<Room>((set, get) => ({
  ...remembered(),
  alone: false,
  fold: (what) => {
    set({ [what]: !get()[what] });
    const { panel, strip } = get();
    try {
      localStorage.setItem(KEY, JSON.stringify({ panel, strip }));
    } catch {
      // forbidden or full: it is folded all the same, only not remembered
    }
  },
  setAlone: (alone) => {
    if (alone === get().alone) return;
    set({ alone });
    // the whole screen where the browser gives it; the whole window in any case
    if (alone) document.documentElement.requestFullscreen?.().catch(() => {});
    else if (document.fullscreenElement) void document.exitFullscreen().catch(() => {});
  },
}));

if (typeof document !== "undefined")
  document.addEventListener("fullscreenchange", () => {
    if (!document.fullscreenElement) useRoom.setState({ alone: false });
  });
