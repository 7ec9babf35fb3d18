import { useRef, useState } from "react";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";

interface Props<T> {
  name: string;
  x?: number;
  y?: number;
  /** A handle that is a whole area instead of a grip. */
  area?: { left: number; top: number; width: number; height: number };
  shape?: "corner" | "upright" | "level" | "round";
  cursor?: string;
  /** What was there when it was pressed; handed back to every drag. */
  start: () => T;
  /** Screen pixels from where it was pressed. */
  onDrag: (dx: number, dy: number, from: T) => unknown;
  /** With what the last drag returned; null when it never moved. */
  onEnd: (last: unknown) => void;
  /** By arrow key, screen pixels. */
  onStep: (dx: number, dy: number) => void;
  onCancel: () => void;
  onHold?: (on: boolean) => void;
}

const LOOKS = {
  corner: "h-[11px] w-[11px]",
  upright: "h-[22px] w-[7px]",
  level: "h-[7px] w-[22px]",
  round: "h-[13px] w-[13px] rounded-full",
};
/** Something that is dragged or moved by arrow keys (Shift for ten); Esc takes a drag back. */
export function Handle<T>(props: Props<T>) {
  const press = useRef<{ x: number; y: number; from: T; last: unknown } | null>(null);
  const [moving, setMoving] = useState(false);
  const { onCancel, onHold } = props;
  useEscape(moving, () => {
    press.current = null;
    setMoving(false);
    onHold?.(false);
    onCancel();
  });
  const finish = (keep: boolean) => {
    const held = press.current;
    press.current = null;
    setMoving(false);
    onHold?.(false);
    if (!held) return;
    if (keep) props.onEnd(held.last);
    else onCancel();
  };
  const style = props.area
    ? { ...props.area, cursor: props.cursor }
    : { left: props.x, top: props.y, transform: "translate(-50%, -50%)", cursor: props.cursor ?? "pointer" };
  return (
    <button
      type="button"
      aria-label={props.name}
      title={props.area ? undefined : props.name}
      className={`absolute touch-none ${props.area ? "bg-transparent" : "flex min-h-[26px] min-w-[26px] items-center justify-center p-2"} focus-visible:outline-2 focus-visible:outline-wax`}
      style={style}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        press.current = { x: e.clientX, y: e.clientY, from: props.start(), last: null };
        setMoving(true);
        onHold?.(true);
      }}
      onPointerMove={(e) => {
        const held = press.current;
        if (held) held.last = props.onDrag(e.clientX - held.x, e.clientY - held.y, held.from);
      }}
      onPointerUp={() => finish(true)}
      onPointerCancel={() => finish(false)}
      onKeyDown={(e) => {
        const d = ARROWS[e.key];
        if (!d || e.ctrlKey || e.metaKey || e.altKey) return;
        const size = e.shiftKey ? 10 : 1;
        onHold?.(true);
        props.onStep(d[0] * size, d[1] * size);
        e.preventDefault();
        e.stopPropagation();
      }}
      onFocus={(e) => e.currentTarget.matches(":focus-visible") && onHold?.(true)}
      onBlur={() => onHold?.(false)}
    >
      {!props.area && (
        <span
          className={`block border-[1.5px] border-[#f6f6f6] ${moving ? "bg-wax" : "bg-ink"} outline outline-1 outline-ink ${LOOKS[props.shape ?? "round"]}`}
        />
      )}
    </button>
  );
}
