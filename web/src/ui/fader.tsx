import { type KeyboardEvent, useRef, useState } from "react";
import { clamp, written } from "./number";
import { NumberField } from "./number_field";
import { useEscape } from "./use_escape";

interface Props {
  name: string;
  /** Full name for screen readers. */
  label: string;
  help: string;
  ink: string;
  value: number;
  chosen?: boolean;
  narrow?: boolean;
  onChoose?: () => void;
  onDraft: (value: number) => void;
  onSet: (value: number) => void;
  onCancel: () => void;
}

const W = 32;
const H = 112;
const EDGE = 8;
const REACH = 100;

/** One ink key: an upright fader from -100 to 100, like the key of a printing press. */
export function Fader({ name, label, help, ink, value, chosen, narrow, onChoose, onDraft, onSet, onCancel }: Props) {
  const field = useRef<SVGSVGElement>(null);
  const grip = useRef<{ offset: number } | null>(null);
  const [moving, setMoving] = useState(false);
  const at = H / 2 - (clamp(value, -REACH, REACH) / REACH) * (H / 2 - EDGE);
  const valueAt = (y: number) => Math.round(clamp((H / 2 - y) / (H / 2 - EDGE), -1, 1) * REACH);
  const pointer = (clientY: number) => {
    const box = field.current?.getBoundingClientRect();
    return box ? ((clientY - box.top) / box.height) * H : 0;
  };
  const onKey = (e: KeyboardEvent) => {
    const size = e.shiftKey ? 10 : 1;
    const by: Record<string, number> = { ArrowUp: size, ArrowRight: size, ArrowDown: -size, ArrowLeft: -size };
    const d = by[e.key];
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    if (d) onSet(clamp(Math.round(value) + d, -REACH, REACH));
    else if (e.key === "Delete" || e.key === "Backspace") onSet(0);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  useEscape(moving, () => {
    grip.current = null;
    setMoving(false);
    onCancel();
  });
  return (
    <div className={`flex shrink-0 ${narrow ? "w-9" : "w-[43px]"} flex-col items-center`}>
      <NumberField
        label={`${label}, number`}
        className="w-9 !text-center text-xs"
        text={written(value, 0, true)}
        onSet={(v) => onSet(clamp(v, -REACH, REACH))}
        onStep={(n, typed) => onSet(clamp(Math.round(typed ?? value) + n, -REACH, REACH))}
      />
      <svg
        ref={field}
        viewBox={`0 0 ${W} ${H}`}
        className="block w-8 touch-none"
        style={{ height: H }}
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-orientation="vertical"
        aria-valuemin={-REACH}
        aria-valuemax={REACH}
        aria-valuenow={value}
        onKeyDown={onKey}
        onFocus={onChoose}
        onDoubleClick={() => onSet(0)}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          e.currentTarget.focus({ preventScroll: true });
          const y = pointer(e.clientY);
          const near = Math.abs(y - at) < 10;
          grip.current = { offset: near ? y - at : 0 };
          setMoving(true);
          if (!near) onDraft(valueAt(y));
        }}
        onPointerMove={(e) => grip.current && onDraft(valueAt(pointer(e.clientY) - grip.current.offset))}
        onPointerUp={(e) => {
          const held = grip.current;
          grip.current = null;
          setMoving(false);
          const next = held ? valueAt(pointer(e.clientY) - held.offset) : value;
          if (held && next !== value) onSet(next);
          else if (held) onSet(value);
        }}
        onPointerCancel={() => {
          grip.current = null;
          setMoving(false);
          onCancel();
        }}
      >
        <title>{`${help} Double-click resets.`}</title>
        {Array.from({ length: 9 }, (_, i) => {
          const y = EDGE + (i / 8) * (H - 2 * EDGE);
          return <path key={y} d={`M${i % 4 ? 10 : 7} ${y}H${W / 2 - 2}`} stroke="#6f6f6f" strokeWidth="0.8" />;
        })}
        <path d={`M${W / 2} ${EDGE}V${H - EDGE}`} stroke="#6f6f6f" strokeWidth="2" />
        <path d={`M${W / 2} ${H / 2}V${at}`} stroke={ink} strokeWidth="6" />
        <rect x={W / 2 - 10} y={at - 4.5} width="20" height="9" fill={moving ? "#b93817" : "#161616"} />
        <path d={`M${W / 2 - 7} ${at}H${W / 2 + 7}`} stroke="#f6f6f6" />
      </svg>
      <span className="h-2.5 w-6" style={{ background: ink }} />
      <span
        className={`mt-0.5 max-w-[46px] overflow-hidden whitespace-nowrap text-center text-[11px] tracking-tight ${chosen ? "font-semibold" : "text-ink2"}`}
      >
        {name}
      </span>
    </div>
  );
}
