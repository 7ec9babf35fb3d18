import type { Judged } from "./judgement";

interface Props {
  judged: Judged;
  whole: boolean;
  /** Outlines of what moved are drawn over it. */
  outlined: boolean;
  /** The region that is pointed at. */
  region: number | null;
  onRegion: (number: number) => void;
}

const path = (lines: readonly (readonly [number, number])[][], w: number, h: number): string =>
  lines.map((line) => `M${line.map(([x, y]) => `${(x * w).toFixed(1)} ${(y * h).toFixed(1)}`).join("L")}Z`).join("");

/** How the master would look, with what moved hatched on it. */
export function MergePicture({ judged, whole, outlined, region, onRegion }: Props) {
  const { width: w, height: h } = judged;
  return (
    <div className={whole ? "flex h-full w-full items-center justify-center p-4" : "h-full w-full overflow-auto"}>
      <div
        className="relative shrink-0"
        style={
          whole
            ? { aspectRatio: `${w} / ${h}`, maxWidth: "100%", maxHeight: "100%", width: w }
            : { width: w, height: h }
        }
      >
        <img
          src={`/api/merges/previews/${judged.preview}`}
          alt={`The merge of ${judged.frames.filter((f) => f.takes_part).length} frames`}
          className="absolute inset-0 h-full w-full"
          draggable={false}
        />
        {outlined && (
          <svg viewBox={`0 0 ${w} ${h}`} className="absolute inset-0 h-full w-full" role="presentation">
            <defs>
              <pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
                <rect width="7" height="7" fill="#d98e04" fillOpacity="0.3" />
                <rect width="2" height="7" fill="#d98e04" fillOpacity="0.75" />
              </pattern>
            </defs>
            {judged.regions.map((r) => (
              // biome-ignore lint/a11y/noStaticElementInteractions: the list beside the picture does the same by keyboard
              <path
                key={r.number}
                d={path(judged.outlines[String(r.number)] ?? [], w, h)}
                fill="url(#hatch)"
                stroke={region === r.number ? "#fff" : "#161616"}
                strokeWidth={region === r.number ? 3 : 1.5}
                vectorEffect="non-scaling-stroke"
                onClick={() => onRegion(r.number)}
              />
            ))}
          </svg>
        )}
      </div>
    </div>
  );
}
