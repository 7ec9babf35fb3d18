import { useEffect, useRef, useState } from "react";
import { readNumber } from "./number";

/** A number that can be typed over; Enter or leaving sets it, Esc takes it back. */
export function NumberField({
  text,
  label,
  className = "",
  onSet,
}: {
  text: string;
  label: string;
  className?: string;
  onSet: (value: number) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const cancelled = useRef(false);
  useEffect(() => {
    if (draft === null && document.activeElement === field.current) field.current?.select();
  }, [draft]);
  const finish = () => {
    const value = draft === null || cancelled.current ? null : readNumber(draft);
    cancelled.current = false;
    setDraft(null);
    if (value !== null) onSet(value);
  };
  return (
    <input
      ref={field}
      aria-label={label}
      value={draft ?? text}
      onFocus={(e) => e.currentTarget.select()}
      onChange={(e) => setDraft(e.currentTarget.value)}
      onBlur={finish}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") finish();
        if (e.key === "Escape") {
          cancelled.current = true;
          e.currentTarget.blur();
        }
      }}
      className={`h-6 rounded-[2px] border border-transparent bg-transparent text-right text-sm font-semibold hover:border-rule focus:border-ink focus:bg-white ${className}`}
    />
  );
}
