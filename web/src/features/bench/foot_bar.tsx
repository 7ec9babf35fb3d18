import type { Frame } from "../../api/client";
import { SURROUNDS, type Surround, useBench } from "../../state/bench";
import { written } from "../../ui/number";

const n = (v: number | undefined, decimals = 0) => (v === undefined ? "" : written(v, decimals, false));

/** What is in sight: zoom, values under the pointer, pixels and bits, how long the last picture took. */
export function FootBar({ frame }: { frame: Frame | undefined }) {
  const pixel = useBench((s) => s.pixel);
  const zoom = useBench((s) => s.viewport.zoom);
  const drawMs = useBench((s) => s.drawMs);
  const header = useBench((s) => s.header);
  const surround = useBench((s) => s.surround);
  const fit = header ? header.scaled_width / header.full_width : 0;
  const c = frame?.capture;
  const percent = zoom === "fit" ? fit * 100 : (zoom / (window.devicePixelRatio || 1)) * 100;
  return (
    <footer className="flex h-7 shrink-0 items-center gap-5 whitespace-nowrap border-t border-ink bg-sheet px-3.5 text-xs text-ink2">
      <span className="w-20">
        {zoom === "fit" ? "fit " : "zoom "}
        <b className="text-ink">{percent ? `${percent.toFixed(0)} %` : ""}</b>
      </span>
      <span className="flex w-[420px] gap-3" aria-live="off" data-testid="pixel">
        {pixel ? (
          <>
            <Values names={["R", "G", "B"]} values={pixel.rgb} decimals={0} />
            <Values names={["L*", "a*", "b*"]} values={pixel.lab} decimals={1} />
            {frame?.raw && (
              <span title="Share of the sensor's range, red, green, blue">
                sensor <b className="text-ink">{pixel.camera.map((v) => (v * 100).toFixed(1)).join(" ")} %</b>
              </span>
            )}
          </>
        ) : (
          <span>Values under the pointer</span>
        )}
      </span>
      <span className="grow truncate text-right">{header?.notes.join(" ")}</span>
      {c && (
        <span>
          {c.width} {"\u00d7"} {c.height}, {c.bits} bit {c.raw ? "raw" : c.colour_space}
        </span>
      )}
      <label className="flex items-center gap-1.5">
        surround
        <select
          value={surround}
          onChange={(e) => useBench.setState({ surround: e.currentTarget.value as Surround })}
          className="h-5 border border-rule bg-sheet text-xs"
        >
          {Object.keys(SURROUNDS).map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <span className="w-24 text-right">
        {drawMs !== null && (
          <>
            drawn in <b className="text-ink">{n(drawMs)} ms</b>
          </>
        )}
      </span>
    </footer>
  );
}

function Values({ names, values, decimals }: { names: string[]; values: number[]; decimals: number }) {
  return (
    <span className="flex gap-1.5">
      {names.map((name, i) => (
        <span key={name}>
          {name} <b className="inline-block min-w-6 text-ink">{n(values[i], decimals)}</b>
        </span>
      ))}
    </span>
  );
}
