import { type ReactNode, useState } from "react";
import { Gauge, type GaugeFacts } from "../../ui/gauge";

/** A choice of a merge: its name and what there is to choose from. */
export function ChoiceRow<T extends string>({
  label,
  value,
  onChoose,
  id,
  onPoint,
  children,
}: {
  label: string;
  value: T;
  onChoose: (value: T) => void;
  id?: string;
  onPoint?: (on: boolean) => void;
  children: ReactNode;
}) {
  return (
    <label
      className="grid grid-cols-[120px_1fr] items-center gap-2 px-3.5"
      onPointerEnter={() => onPoint?.(true)}
      onPointerLeave={() => onPoint?.(false)}
    >
      <span className="text-ink2">{label}</span>
      <select
        id={id}
        value={value}
        onFocus={() => onPoint?.(true)}
        onBlur={() => onPoint?.(false)}
        onChange={(e) => onChoose(e.currentTarget.value as T)}
        className="h-7 min-w-0 border border-rule bg-sheet px-1"
      >
        {children}
      </select>
    </label>
  );
}

/** Something of a merge that is on or off. */
export function SwitchRow({
  label,
  on,
  help,
  onSet,
}: {
  label: string;
  on: boolean;
  help?: string;
  onSet: (on: boolean) => void;
}) {
  return (
    <label className="flex min-h-7 items-center gap-2 px-3.5" title={help}>
      <input type="checkbox" checked={on} onChange={(e) => onSet(e.currentTarget.checked)} />
      {label}
    </label>
  );
}

/** A number of a merge: it is looked at anew when the jaw is let go. */
export function NumberRow({
  facts,
  value,
  signed,
  onSet,
}: {
  facts: GaugeFacts & { neutral: number };
  value: number;
  signed?: boolean;
  onSet: (value: number) => void;
}) {
  const [draft, setDraft] = useState<number | null>(null);
  const settle = (set: number) => {
    setDraft(null);
    onSet(set);
  };
  return (
    <Gauge
      facts={facts}
      value={draft ?? value}
      neutral={facts.neutral}
      signed={signed ?? false}
      onDraft={setDraft}
      onSet={settle}
      onReset={() => settle(facts.neutral)}
      onCancel={() => setDraft(null)}
    />
  );
}
