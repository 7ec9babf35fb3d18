import { useEffect, useState } from "react";
import { type Adjustment, adjustmentsOf, takenAtFirst } from "../../state/carrying";
import { complain } from "../../state/notices";

/** The adjustments of a version and which of them are taken: at first those that were touched, as they were chosen the last time. */
export function useAdjustments(version: number | null) {
  const [adjustments, setAdjustments] = useState<Adjustment[]>([]);
  const [taken, setTaken] = useState<ReadonlySet<string>>(new Set());
  useEffect(() => {
    if (version === null) return;
    let wanted = true;
    adjustmentsOf(version)
      .then((list) => {
        if (!wanted) return;
        setAdjustments(list);
        setTaken(new Set(list.filter((a) => a.touched && takenAtFirst(a)).map((a) => a.id)));
      })
      .catch(complain);
    return () => {
      wanted = false;
    };
  }, [version]);
  const onTake = (id: string, on: boolean) => {
    const next = new Set(taken);
    if (on) next.add(id);
    else next.delete(id);
    setTaken(next);
  };
  return { adjustments, taken, onTake };
}
