import { useState } from "react";
import { memorise, recalled } from "../../state/memory";
import type { Size } from "./cell";
import type { Order } from "./selection";

const KEY = "zincplate.sheet";

interface Memory {
  size: Size;
  order: Order;
}

function remembered(): Memory {
  const plain: Memory = { size: "medium", order: "time" };
  return { ...plain, ...(recalled(KEY) as Partial<Memory> | null) };
}

/** Size of the pictures and order of the frames, remembered by the browser. */
export function useSheetMemory(): Memory & { remember: (change: Partial<Memory>) => void } {
  const [memory, setMemory] = useState(remembered);
  return {
    ...memory,
    remember: (change) => {
      const next = { ...memory, ...change };
      setMemory(next);
      memorise(KEY, next);
    },
  };
}
