import type { Mark } from "../api/client";

/** Grease-pencil marks as on a contact sheet: keep a ring, maybe an underline, drop a stroke; each on a thin paper edge. */
export function GreasePencil({ mark, width, height }: { mark: Mark; width: number; height: number }) {
  if (!mark) return null;
  const w = width;
  const h = height;
  const bleed = 7;
  const path = {
    keep: `M${w * 0.16} ${-2}C${w * 0.62} ${-9} ${w + 7} ${-4} ${w + 4} ${h * 0.46}C${w + 1} ${h + 7} ${w * 0.6} ${h + 6} ${w * 0.36} ${h + 4}C${-8} ${h + 1} ${-6} ${h * 0.7} ${-4} ${h * 0.4}C${-2} ${3} ${w * 0.12} ${-1} ${w * 0.34} ${-4}`,
    maybe: `M${w * 0.07} ${h + 0.5}C${w * 0.3} ${h + 4} ${w * 0.66} ${h - 3} ${w * 0.94} ${h + 1}`,
    drop: `M${w * 0.06} ${h * 0.92}C${w * 0.36} ${h * 0.6} ${w * 0.62} ${h * 0.42} ${w * 0.95} ${h * 0.07}`,
  }[mark];
  return (
    <svg
      className="pointer-events-none absolute"
      style={{ left: -bleed, top: -bleed }}
      width={w + 2 * bleed}
      height={h + 2 * bleed}
      viewBox={`${-bleed} ${-bleed} ${w + 2 * bleed} ${h + 2 * bleed}`}
      aria-hidden
    >
      <path d={path} fill="none" stroke="#f6f6f6" strokeWidth="4.6" strokeLinecap="round" opacity="0.85" />
      <path d={path} fill="none" stroke="#c8401f" strokeWidth="2.8" strokeLinecap="round" />
    </svg>
  );
}

export const MARK_WORDS: Record<Mark, string> = { keep: "keep", maybe: "maybe", drop: "drop", "": "unmarked" };

export function Stars({ count }: { count: number }) {
  if (!count) return null;
  return (
    <span role="img" aria-label={`${count} star${count > 1 ? "s" : ""}`} className="tracking-[-1px]">
      {"\u2605".repeat(count)}
    </span>
  );
}
