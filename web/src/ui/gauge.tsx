import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { clamp, roundTo, written } from "./number";
import { NumberField } from "./number_field";
import { useEscape } from "./use_escape";

export interface GaugeFacts {
  label: string;
  unit: string;
  help: string;
  low: number;
  high: number;
  step: number;
  decimals: number;
  /** How it is ruled; "middle" is finer round zero. */
  scale: "linear" | "reciprocal" | "log" | "middle";
}

interface Props {
  facts: GaugeFacts;
  /** For screen readers, where the name in sight leans on a heading. */
  fullName?: string;
  value: number;
  neutral: number;
  /** Shown instead of the number while nothing is set ("as shot"). */
  unset?: string;
  signed?: boolean;
  notches?: readonly (readonly [number, string])[];
  children?: ReactNode;
  /** Drawn under the scale, for instance the hues it runs through. */
  band?: ReactNode;
  /** While the handle moves; many times. */
  onDraft: (value: number) => void;
  /** When it is let go, typed, or stepped by key. */
  onSet: (value: number) => void;
  onReset: () => void;
  onCancel: () => void;
  onRest?: (on: boolean) => void;
}

const rooted = (x: number) => Math.sign(x) * Math.sqrt(Math.abs(x));
/** Where a value stands along the scale, up to offset and factor. */
const RULES: Record<GaugeFacts["scale"], (x: number) => number> = {
  linear: (x) => x,
  reciprocal: (x) => -1 / x,
  log: Math.log,
  middle: rooted,
};
const FROM_MIDDLE = [-45, -30, -20, -10, -5, -2, -1, 0, 1, 2, 5, 10, 20, 30, 45];
const WIDTH = 264;
const EDGE = 5;

/** Our slider: a ruled scale, ink from the neutral notch to the value, a caliper jaw, and the number beside the name. */
export function Gauge(props: Props) {
  const { facts, value, neutral } = props;
  const fullName = props.fullName ?? facts.label;
  const scale = useRef<SVGSVGElement>(null);
  const grip = useRef<{ offset: number; from: number } | null>(null);
  const [moving, setMoving] = useState(false);
  const along = (v: number) => {
    const f = RULES[facts.scale];
    return EDGE + ((f(v) - f(facts.low)) / (f(facts.high) - f(facts.low))) * (WIDTH - 2 * EDGE);
  };
  const valueAt = (x: number) => {
    const t = (x - EDGE) / (WIDTH - 2 * EDGE);
    if (facts.scale === "linear") return facts.low + t * (facts.high - facts.low);
    if (facts.scale === "middle") {
      const root = rooted(facts.low) + t * (rooted(facts.high) - rooted(facts.low));
      return Math.sign(root) * root * root;
    }
    if (facts.scale === "log") return facts.low * (facts.high / facts.low) ** t;
    return -1 / (-1 / facts.low + t * (-1 / facts.high + 1 / facts.low));
  };
  const fitted = (v: number) => roundTo(clamp(v, facts.low, facts.high), facts.step);
  const pointer = (clientX: number) => {
    const box = scale.current?.getBoundingClientRect();
    return box ? ((clientX - box.left) / box.width) * WIDTH : 0;
  };
  const step = (n: number) => props.onSet(fitted((Math.round(value / facts.step) + n) * facts.step));
  const onKey = (e: KeyboardEvent) => {
    const size = e.shiftKey ? 10 : 1;
    const moves: Record<string, () => void> = {
      ArrowRight: () => step(size),
      ArrowUp: () => step(size),
      ArrowLeft: () => step(-size),
      ArrowDown: () => step(-size),
      PageUp: () => step(10),
      PageDown: () => step(-10),
      Home: () => props.onSet(facts.low),
      End: () => props.onSet(facts.high),
      Delete: props.onReset,
      Backspace: props.onReset,
    };
    const move = moves[e.key];
    if (!move || e.ctrlKey || e.metaKey || e.altKey) return;
    e.preventDefault();
    e.stopPropagation();
    move();
  };
  useEscape(moving, () => {
    grip.current = null;
    setMoving(false);
    props.onCancel();
  });
  useEffect(() => {
    const element = scale.current;
    if (!element) return;
    const wheel = (e: WheelEvent) => {
      if (document.activeElement !== element) return;
      e.preventDefault();
      step(e.deltaY < 0 ? 1 : -1);
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  });
  const shown = clamp(value, facts.low, facts.high);
  const at = along(shown);
  const zero = along(clamp(neutral, facts.low, facts.high));
  return (
    <div className="px-3.5" onPointerEnter={() => props.onRest?.(true)} onPointerLeave={() => props.onRest?.(false)}>
      <div className="flex h-6 items-center">
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the keyboard resets with Delete on the scale */}
        <span
          title={`${facts.help} Double-click resets.`}
          onDoubleClick={props.onReset}
          className="select-none text-sm"
        >
          {facts.label}
        </span>
        {props.children}
        <span className="grow" />
        <NumberField
          label={`${fullName}, number`}
          className="w-16"
          text={props.unset ?? written(value, facts.decimals, props.signed ?? false)}
          onSet={(v) => props.onSet(clamp(v, facts.low, facts.high))}
          onStep={(n, typed) => props.onSet(fitted((Math.round((typed ?? value) / facts.step) + n) * facts.step))}
        />
        {facts.unit ? <span className="min-w-5 pl-1 text-xs text-ink2">{facts.unit}</span> : <span className="w-0" />}
      </div>
      <svg
        ref={scale}
        viewBox={`0 0 ${WIDTH} 18`}
        className="block h-[18px] w-full touch-none"
        role="slider"
        tabIndex={0}
        aria-label={fullName}
        aria-valuemin={facts.low}
        aria-valuemax={facts.high}
        aria-valuenow={value}
        aria-valuetext={`${props.unset ? `${props.unset}, ` : ""}${written(value, facts.decimals, false)} ${facts.unit}`}
        onKeyDown={onKey}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          e.currentTarget.focus({ preventScroll: true });
          const x = pointer(e.clientX);
          const near = Math.abs(x - at) < 9;
          grip.current = { offset: near ? x - at : 0, from: value };
          setMoving(true);
          if (!near) props.onDraft(fitted(valueAt(x)));
        }}
        onPointerMove={(e) => {
          if (grip.current) props.onDraft(fitted(valueAt(pointer(e.clientX) - grip.current.offset)));
        }}
        onPointerUp={(e) => {
          const held = grip.current;
          grip.current = null;
          setMoving(false);
          if (!held) return;
          const next = fitted(valueAt(pointer(e.clientX) - held.offset));
          if (held.offset === 0 || Math.abs(pointer(e.clientX) - held.offset - at) > 0.01 || next !== held.from)
            props.onSet(next);
          else props.onCancel();
        }}
        onPointerCancel={() => {
          grip.current = null;
          setMoving(false);
          props.onCancel();
        }}
      >
        <title>{facts.label}</title>
        {props.band}
        <Ticks along={along} notches={props.notches} facts={facts} />
        <path d={`M${EDGE} 13H${WIDTH - EDGE}`} stroke="#6f6f6f" />
        <path d={`M${zero} 13H${at}`} stroke="#161616" strokeWidth="3" />
        <path d={`M${zero} 5V13`} stroke="#161616" strokeWidth="1.6" />
        <path d={`M${at - 4.5} 1h9v6.5l-4.5 4.5l-4.5 -4.5z`} fill={moving ? "#b93817" : "#161616"} />
        <path d={`M${at} 3v5`} stroke="#f6f6f6" />
      </svg>
    </div>
  );
}

interface TicksProps {
  along: (v: number) => number;
  notches?: readonly (readonly [number, string])[];
  facts: GaugeFacts;
}

function Ticks({ along, notches, facts }: TicksProps) {
  const ruled = FROM_MIDDLE.filter((v) => v >= facts.low && v <= facts.high);
  const places: [number, boolean][] = notches
    ? notches.map(([v]) => [along(v), true])
    : facts.scale === "middle"
      ? ruled.map((v) => [along(v), v % 10 === 0])
      : Array.from({ length: 21 }, (_, i) => [EDGE + (i / 20) * (WIDTH - 2 * EDGE), i % 5 === 0]);
  return (
    <>
      {places.map(([x, long]) => (
        <path key={x} d={`M${x} ${long ? 8 : 10.5}V13`} stroke="#6f6f6f" />
      ))}
    </>
  );
}
