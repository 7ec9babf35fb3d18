import { useId } from "react";

const HUES = Array.from({ length: 25 }, (_, i) => i * 15);

/** The hues along a gauge that chooses one. */
export function HueBand() {
  const id = useId();
  return (
    <>
      <defs>
        <linearGradient id={id}>
          {HUES.map((hue) => (
            <stop key={hue} offset={hue / 360} stopColor={`oklch(0.68 0.12 ${hue})`} />
          ))}
        </linearGradient>
      </defs>
      <rect x="5" y="13" width="254" height="5" fill={`url(#${id})`} aria-hidden />
    </>
  );
}
