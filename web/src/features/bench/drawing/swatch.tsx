const light = (v: number) => Math.round(255 * Math.min(Math.max(v, 0), 1) ** (1 / 2.2));

/** A colour of the frame's own linear values, roughly as it looks; empty while none is picked. */
export function Swatch({ colour, label }: { colour: readonly number[] | null; label: string }) {
  return (
    <span
      role="img"
      aria-label={label}
      className="inline-block h-4 w-7 rounded-[2px] border border-rule"
      style={colour ? { background: `rgb(${colour.map(light).join()})` } : {}}
    />
  );
}
