import { useState } from "react";
import { Choices } from "../../ui/controls";

const W = 264;
const H = 76;
const INKS = ["#a33a26", "#2f6b3c", "#2c4c86"] as const;

interface Props {
  histogram: number[][] | null;
  clipped: [number, number, number] | null;
  /** Wedge steps 0..10 on which the control under the hand acts. */
  lit: readonly [number, number] | null;
  /** Wedge step of the tone under the pointer. */
  under: number | null;
  raw: boolean;
}

/** Histogram of the delivery above an eleven-step wedge, one stop a step round middle grey. */
export function Scope({ histogram, clipped, lit, under, raw }: Props) {
  const [scale, setScale] = useState<"linear" | "log">("linear");
  const shape = (counts: number[], top: number) => {
    const value = (n: number) =>
      scale === "log" ? Math.min(Math.log1p(n) / Math.log1p(top), 1) : Math.min(n / top, 1);
    return `M0 ${H}${counts.map((n, i) => `L${((i / 255) * W).toFixed(1)} ${(H - value(n) * (H - 3)).toFixed(1)}`).join("")}L${W} ${H}Z`;
  };
  const top = histogram ? heightOf(histogram) : 1;
  return (
    <section aria-label="Scope" className="border-t border-ink bg-sheet px-3.5 pb-3 pt-2">
      <div className="mb-1 flex items-center justify-between text-xs text-ink2">
        <h3>Delivery, sRGB</h3>
        <Choices
          label="Histogram scale"
          value={scale}
          options={[
            ["linear", "linear"],
            ["log", "log"],
          ]}
          onChange={setScale}
        />
      </div>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        className="block w-full bg-white"
        role="img"
        aria-label="Histogram of the picture in sight"
      >
        {histogram?.slice(0, 3).map((counts, i) => (
          <path
            key={INKS[i]}
            d={shape(counts, top)}
            fill={INKS[i]}
            fillOpacity="0.2"
            stroke={INKS[i]}
            strokeWidth="1"
            style={{ mixBlendMode: "multiply" }}
          />
        ))}
        {histogram?.[3] && <path d={shape(histogram[3], top)} fill="none" stroke="#161616" strokeWidth="1.1" />}
      </svg>
      <Wedge lit={lit} under={under} />
      <div className="mt-1.5 flex justify-between text-xs text-ink2">
        <span>
          black <b className="text-ink">{share(clipped?.[1])}</b>
        </span>
        {raw && (
          <span>
            sensor full <b className="text-ink">{share(clipped?.[2])}</b>
          </span>
        )}
        <span>
          white <b className="text-ink">{share(clipped?.[0])}</b>
        </span>
      </div>
    </section>
  );
}

/** Full height of the scope: the tallest bins but for the few highest, so that one spike does not flatten the rest. */
function heightOf(histogram: number[][]): number {
  const bins = histogram
    .slice(0, 3)
    .flatMap((counts) => counts.slice(1, 255))
    .sort((a, b) => a - b);
  return Math.max(bins[Math.floor(bins.length * 0.985)] ?? 1, 1) * 1.15;
}

const share = (v: number | undefined) =>
  v === undefined ? "" : v === 0 ? "0 %" : v < 0.0005 ? "< 0.1 %" : `${(v * 100).toFixed(1)} %`;

function Wedge({ lit, under }: { lit: readonly [number, number] | null; under: number | null }) {
  const step = W / 11;
  return (
    <svg viewBox={`0 0 ${W} 24`} className="mt-1 block w-full" role="img" aria-label="Step wedge, one stop a step">
      {Array.from({ length: 11 }, (_, i) => {
        const grey = Math.round(255 * wedgeTone(i));
        const on = under === i || (lit !== null && i >= lit[0] && i <= lit[1]);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: the wedge always has the same eleven steps
          <g key={i}>
            <rect x={i * step} y="0" width={step} height={on ? 20 : 16} fill={`rgb(${grey},${grey},${grey})`} />
            {on && <rect x={i * step + 1} y="20" width={step - 2} height="3" fill="#b93817" />}
          </g>
        );
      })}
      <rect x="0.5" y="0.5" width={W - 1} height="15" fill="none" stroke="#9a9a9a" />
    </svg>
  );
}

/** Encoded tone of a wedge step: middle grey at step 5, one stop either way, with a print's shoulder at the top. */
function wedgeTone(step: number): number {
  const linear = 0.18 * 2 ** (step - 5);
  const p = linear ** 1.42;
  const s = 0.18 ** 1.42 * 4.6;
  const y = Math.min((p / (p + s)) * 1.02, 1);
  return y <= 0.0031308 ? 12.92 * y : 1.055 * y ** (1 / 2.4) - 0.055;
}

/** Which wedge step a tone (0..255, encoded) belongs to. */
export function wedgeStep(encoded: number): number {
  let best = 0;
  for (let i = 1; i < 11; i++)
    if (Math.abs(wedgeTone(i) - encoded / 255) < Math.abs(wedgeTone(best) - encoded / 255)) best = i;
  return best;
}
