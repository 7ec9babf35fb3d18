import { useState } from "react";
import type { Size } from "./cell";
import type { Order } from "./selection";

const KEY = "zincplate.sheet";

interface Memory {
  size: Size;
  order: Order;
}

function remembered(): Memory {
  const plain: Memory = { size: "medium", order: "time" };
  try {
    return { ...plain, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Memory>) };
  } catch {
    return plain;
  }
}

/** Size of the pictures and order of the frames, remembered by the browser. */
export function useSheetMemory(): Memory & { remember: (change: Partial<Memory>) => void } {
  const [memory, setMemory] = useState(remembered);
  return {
    ...memory,
    remember: (change) => {
      const next = { ...memory, ...change };
      setMemory(next);
      try {
        localStorage.setItem(KEY, JSON.stringify(next));
      } catch {
        // forbidden or full: only not remembered
      }
    },
  };
}
