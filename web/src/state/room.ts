import { create } from "zustand";
import { memorise, recalled } from "./memory";

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
  const kept = recalled(KEY) as Record<string, unknown> | null;
  return { panel: kept?.panel !== false, strip: kept?.strip !== false };
}

export const useRoom = create<Room>((set, get) => ({
  ...remembered(),
  alone: false,
  fold: (what) => {
    set({ [what]: !get()[what] });
    const { panel, strip } = get();
    memorise(KEY, { panel, strip });
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
