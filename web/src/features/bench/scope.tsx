import { type KeyboardEvent, memo, useRef, useState } from "react";
import type { Recipe, Step } from "../../api/generated/recipe";
import type { ViewHeader } from "../../api/view";
import { useBench } from "../../state/bench";
import { Choices } from "../../ui/controls";
import { clamp, roundTo, written } from "../../ui/number";
import { controlValue, factsOf, withControl } from "./steps/control";

const W = 264;
const H = 70;
const INKS = ["#a33a26", "#2f6b3c", "#2c4c86"] as const;

interface Props {
  header: ViewHeader | null;
  /** Wedge steps 0..10 on which the control under the hand acts. */
  lit: readonly [number, number] | null;
  /** Wedge step of the tone under the pointer. */
  under: number | null;
  raw: boolean;
}

/** Histogram of the delivery or of the sensor above an eleven-step wedge, one stop a step round middle grey. */
export const Scope = memo(ScopeDrawn);

function ScopeDrawn({ header, lit, under, raw }: Props) {
  const [scale, setScale] = useState<"linear" | "log">("linear");
  const sensor = useBench((s) => s.sensorScope) && raw;
  const histogram = (sensor ? header?.raw_histogram : header?.histogram) ?? null;
  const shape = (counts: number[], top: number) => {
    const value = (n: number) =>
      scale === "log" ? Math.min(Math.log1p(n) / Math.log1p(top), 1) : Math.min(n / top, 1);
    return `M0 ${H}${counts.map((n, i) => `L${((i / 255) * W).toFixed(1)} ${(H - value(n) * (H - 3)).toFixed(1)}`).join("")}L${W} ${H}Z`;
  };
  const top = histogram ? heightOf(histogram) : 1;
  const c = header?.channels;
  return (
    <section aria-label="Scope" className="border-t border-ink bg-sheet px-3.5 pb-2.5 pt-1.5">
      <div className="mb-1 flex items-center justify-between text-xs text-ink2">
        {raw ? (
          <Choices
            label="What the histogram shows"
            value={sensor ? "sensor" : "delivery"}
            options={[
              ["delivery", "delivery"],
              ["sensor", "sensor"],
            ]}
            onChange={(v) => useBench.setState({ sensorScope: v === "sensor" })}
          />
        ) : (
          <h3>Delivery, sRGB</h3>
        )}
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
        aria-label={sensor ? "Histogram of the sensor's values, roots" : "Histogram of the picture in sight"}
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
      <div className="mt-1 flex justify-between text-xs text-ink2">
        <Ends name="black" all={header?.clipped[1]} channels={c?.[1]} />
        {raw && <Ends name="sensor" all={header?.clipped[2]} channels={c?.[2]} />}
        <Ends name="white" all={header?.clipped[0]} channels={c?.[0]} />
      </div>
    </section>
  );
}

/** Share of pixels at an end, and the same of each channel as three small bars. */
function Ends({ name, all, channels }: { name: string; all: number | undefined; channels: number[] | undefined }) {
  const words = channels?.map((v, i) => `${"RGB"[i]} ${share(v)}`).join(", ");
  return (
    <span className="flex items-center gap-1 whitespace-nowrap" title={words && `${name}: ${words}`}>
      {name} <b className="text-ink">{share(all)}</b>
      <svg viewBox="0 0 14 10" className="h-2.5 w-3.5" role="img" aria-label={words ?? name}>
        {channels?.map((v, i) => {
          const h = v <= 0 ? 0 : clamp((Math.log10(v) + 4.5) * 2.4, 1, 10);
          return <rect key={INKS[i]} x={i * 5} y={10 - h} width="4" height={h} fill={INKS[i]} />;
        })}
        <path d="M0 9.7H14" stroke="#9a9a9a" strokeWidth="0.6" />
      </svg>
    </span>
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

/** Which control each part of the wedge moves, from its first step on; one pixel up is one step of the value. */
const REGIONS = [
  { name: "black_point", from: 0, to: 1, perPixel: 1 },
  { name: "shadows", from: 2, to: 3, perPixel: 1 },
  { name: "exposure_ev", from: 4, to: 6, perPixel: 0.02 },
  { name: "highlights", from: 7, to: 8, perPixel: 1 },
  { name: "white_point", from: 9, to: 10, perPixel: 1 },
] as const;

const STEP: Step = "tone";

/** The step wedge: shows where a tone lies, and is a control: dragging a step up or down moves that region. */
function Wedge({ lit, under }: { lit: readonly [number, number] | null; under: number | null }) {
  const step = W / 11;
  const draft = useBench((s) => s.draft);
  const { edit, save, cancel } = useBench.getState();
  const held = useRef<{ y: number; from: number } | null>(null);
  const [moving, setMoving] = useState<number | null>(null);
  const change = (recipe: Recipe, name: string, value: number) => {
    const facts = factsOf(STEP, name);
    return facts ? withControl(recipe, STEP, name, roundTo(clamp(value, facts.low, facts.high), facts.step)) : recipe;
  };
  const active = moving === null ? null : REGIONS[moving];
  const range = active ? ([active.from, active.to] as const) : lit;
  return (
    <div className="relative mt-1">
      <svg viewBox={`0 0 ${W} 24`} className="block w-full" role="img" aria-label="Step wedge, one stop a step">
        {Array.from({ length: 11 }, (_, i) => {
          const grey = Math.round(255 * wedgeTone(i));
          const on = under === i || (range !== null && i >= range[0] && i <= range[1]);
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
      {draft &&
        REGIONS.map((r, k) => {
          const facts = factsOf(STEP, r.name);
          const value = controlValue(draft, STEP, r.name) as number;
          if (!facts) return null;
          const by = (n: number) => save((recipe) => change(recipe, r.name, value + n * facts.step));
          const onKey = (e: KeyboardEvent) => {
            const n = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
            if (n === undefined || e.ctrlKey || e.altKey || e.metaKey) return;
            e.preventDefault();
            e.stopPropagation();
            by(n * (e.shiftKey ? 10 : 1));
          };
          return (
            <div
              key={r.name}
              role="slider"
              tabIndex={0}
              aria-label={`Wedge, ${facts.label.toLowerCase()}`}
              aria-orientation="vertical"
              aria-valuemin={facts.low}
              aria-valuemax={facts.high}
              aria-valuenow={value}
              title={`${facts.label}: drag up or down`}
              className="absolute top-0 h-[18px] cursor-ns-resize touch-none"
              style={{ left: `${(r.from / 11) * 100}%`, width: `${((r.to - r.from + 1) / 11) * 100}%` }}
              onKeyDown={(e) => {
                if (e.key === "Escape" && held.current) {
                  held.current = null;
                  setMoving(null);
                  cancel();
                } else onKey(e);
              }}
              onPointerEnter={() => useBench.setState({ resting: `tone.${r.name}` })}
              onPointerLeave={() => useBench.setState({ resting: null })}
              onPointerDown={(e) => {
                if (e.button !== 0) return;
                e.currentTarget.setPointerCapture(e.pointerId);
                e.currentTarget.focus({ preventScroll: true });
                held.current = { y: e.clientY, from: value };
                setMoving(k);
              }}
              onPointerMove={(e) => {
                const h = held.current;
                if (h) edit((recipe) => change(recipe, r.name, h.from + (h.y - e.clientY) * r.perPixel));
              }}
              onPointerUp={() => {
                if (!held.current) return;
                held.current = null;
                setMoving(null);
                save();
              }}
              onPointerCancel={() => {
                held.current = null;
                setMoving(null);
                cancel();
              }}
            />
          );
        })}
      {active && draft && (
        <span
          className="pointer-events-none absolute -top-6 rounded-[2px] bg-ink px-1.5 py-0.5 text-xs text-white"
          style={{ left: `${((active.from + active.to + 1) / 22) * 100}%`, transform: "translateX(-50%)" }}
        >
          {factsOf(STEP, active.name)?.label}{" "}
          {written(controlValue(draft, STEP, active.name) as number, factsOf(STEP, active.name)?.decimals ?? 0, true)}
        </span>
      )}
    </div>
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
