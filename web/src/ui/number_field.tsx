import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { readNumber } from "./number";

/** What a number may be typed with. */
const OF_A_NUMBER = /^[\d.,+\-\u2212\u2013]$/;

/**
 * A number that can be typed over; Enter or leaving sets it, Esc takes it back, arrow up and down step it. Keys that type nothing
 * go on to the page: the bench's letters and undo work while the field has the keyboard, and after Enter its arrows too.
 */
export function NumberField({
  text,
  label,
  className = "",
  onSet,
  onStep,
}: {
  text: string;
  label: string;
  className?: string;
  onSet: (value: number) => void;
  /** Steps from what is typed, or from the value when nothing is. */
  onStep?: (steps: number, typed: number | null) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const [done, setDone] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a number that changed under the keyboard is selected anew
  useEffect(() => {
    if (draft === null && document.activeElement === field.current) field.current?.select();
  }, [draft, text]);
  const finish = () => {
    const value = draft === null ? null : readNumber(draft);
    setDraft(null);
    if (value !== null) onSet(value);
  };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    const step = { ArrowUp: 1, ArrowDown: -1 }[e.key];
    const ctrl = e.ctrlKey || e.metaKey;
    if (e.key === "Enter") {
      finish();
      setDone(true);
    } else if (e.key === "Escape") {
      setDone(true);
      // nothing is being typed: the key is the page's
      if (draft === null) return;
      setDraft(null);
    } else if (step && onStep && !ctrl && !e.altKey) {
      onStep(step * (e.shiftKey ? 10 : 1), draft === null ? null : readNumber(draft));
      setDraft(null);
      setDone(true);
      e.preventDefault();
    } else if (draft === null) {
      // nothing is being typed: what would not begin a number is the page's
      const key = e.key.toLowerCase();
      // what was entered is done: copying is of the adjustments then, not of the digits
      const undo = ctrl && (key === "z" || (done && (key === "c" || key === "v")));
      const word = !ctrl && !e.altKey && e.key.length === 1 && !OF_A_NUMBER.test(e.key);
      const shifted = e.shiftKey && /^Digit/.test(e.code);
      const along = done && (e.key === "ArrowLeft" || e.key === "ArrowRight");
      if (undo || word || shifted || along) {
        e.preventDefault();
        return;
      }
    }
    e.stopPropagation();
  };
  return (
    <input
      ref={field}
      aria-label={label}
      inputMode="decimal"
      autoComplete="off"
      data-idle={draft === null}
      value={draft ?? text}
      onFocus={(e) => {
        setDone(false);
        e.currentTarget.select();
      }}
      onChange={(e) => setDraft(e.currentTarget.value)}
      onBlur={finish}
      onKeyDown={onKey}
      className={`h-6 rounded-[2px] border border-transparent bg-transparent text-right text-sm font-semibold hover:border-rule focus:border-ink focus:bg-white ${className}`}
    />
  );
}
