import { Tooltip } from "radix-ui";
import type { ButtonHTMLAttributes, ReactNode } from "react";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { ink?: boolean; pressed?: boolean; quiet?: boolean };

/** The one button. Ink for the main action of a place, plain for the rest, quiet inside panels. */
export function Button({ ink, pressed, quiet, disabled, onClick, className = "", ...rest }: ButtonProps) {
  const look = ink
    ? "bg-ink text-white border-ink hover:bg-[#333] aria-disabled:bg-[#8a8a8a] aria-disabled:border-[#8a8a8a]"
    : pressed
      ? "bg-zinc border-ink text-ink shadow-[inset_0_0_0_1px_#161616]"
      : quiet
        ? "border-transparent text-ink2 hover:text-ink hover:border-rule aria-disabled:text-ink3/60 aria-disabled:hover:border-transparent"
        : "bg-sheet border-rule hover:border-ink aria-disabled:text-ink3/70 aria-disabled:hover:border-rule";
  return (
    <button
      type="button"
      aria-pressed={pressed}
      // not "disabled": a button that has the keyboard keeps it when there is nothing more to do
      aria-disabled={disabled || undefined}
      onClick={(e) => (disabled ? e.preventDefault() : onClick?.(e))}
      className={`inline-flex h-7 shrink-0 items-center gap-1.5 whitespace-nowrap rounded-[3px] border px-2.5 text-sm font-medium ${look} ${className}`}
      {...rest}
    />
  );
}

/** A name for what has none in sight. */
export function Hint({ text, children, side }: { text: ReactNode; children: ReactNode; side?: "top" | "right" }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          side={side ?? "top"}
          sideOffset={5}
          className="z-50 max-w-64 rounded-[3px] bg-ink px-2 py-1 text-xs text-white"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

/** On and off, as a small switch with a name. */
export function Switch({ on, label, onChange }: { on: boolean; label: string; onChange: (on: boolean) => void }) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={label}
      onClick={() => onChange(!on)}
      className={`relative h-[15px] w-[27px] shrink-0 rounded-full border border-ink ${on ? "bg-ink" : "bg-sheet"}`}
    >
      <span
        className={`absolute top-[1.5px] h-[10px] w-[10px] rounded-full ${on ? "right-[2px] bg-white" : "left-[2px] bg-ink"}`}
      />
    </button>
  );
}

/** A row of small choices of which one is current. */
export function Choices<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <div role="radiogroup" aria-label={label} className="flex gap-2.5">
      {options.map(([key, text], i) => (
        // biome-ignore lint/a11y/useSemanticElements: a radio group of words, moved through by the arrow keys
        <button
          key={key}
          type="button"
          role="radio"
          aria-checked={key === value}
          tabIndex={key === value ? 0 : -1}
          onClick={() => onChange(key)}
          onKeyDown={(e) => {
            const step = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
            const next = step ? options[(i + step + options.length) % options.length] : undefined;
            if (!next) return;
            e.preventDefault();
            onChange(next[0]);
            const row = e.currentTarget.parentElement?.children;
            (row?.[(i + step + options.length) % options.length] as HTMLElement | undefined)?.focus();
          }}
          className={`border-b-2 pb-px text-sm ${key === value ? "border-ink font-semibold text-ink" : "border-transparent text-ink2 hover:text-ink"}`}
        >
          {text}
        </button>
      ))}
    </div>
  );
}
