import { useEffect, useState } from "react";
import type { Frame } from "../../api/client";
import { FIT } from "../../canvas/viewport";
import { SURROUNDS, type Surround, useBench } from "../../state/bench";
import { written } from "../../ui/number";
import { FactsDrawer } from "./facts_drawer";

const LATE_MS = 1200;
const NONE: string[] = [];
const ZOOMS = [50, 100, 200, 400, 800];
const n = (v: number | undefined, decimals = 0) => (v === undefined ? "" : written(v, decimals, false));

/** What is in sight: zoom, values under the pointer, pixels and bits, how long the last picture took. */
export function FootBar({ frame }: { frame: Frame | undefined }) {
  const pixel = useBench((s) => s.pixel);
  const zoom = useBench((s) => s.viewport.zoom);
  const drawMs = useBench((s) => s.drawMs);
  const header = useBench((s) => s.header);
  const remarks = useBench((s) => s.version?.remarks) ?? NONE;
  const surround = useBench((s) => s.surround);
  const gamut = useBench((s) => s.gamut);
  const warnings = useBench((s) => s.warnings);
  const warned = useBench((s) => s.warned);
  const magnifier = useBench((s) => s.magnifier);
  const [facts, setFacts] = useState(false);
  const said = [...(header?.notes ?? []), ...remarks].join(" ");
  const fit = header ? header.scaled_width / header.full_width : 0;
  const c = frame;
  const percent = zoom === "fit" ? fit * 100 : (zoom / (window.devicePixelRatio || 1)) * 100;
  return (
    <footer className="flex h-7 shrink-0 items-center gap-5 whitespace-nowrap border-t border-ink bg-sheet px-3.5 text-xs text-ink2">
      <label className="flex w-28 items-center gap-1.5">
        zoom
        <select
          disabled={header?.framing != null}
          value={zoom === "fit" ? "fit" : ZOOMS.includes(Math.round(percent)) ? Math.round(percent) : "now"}
          onChange={(e) => {
            const v = e.currentTarget.value;
            const s = useBench.getState();
            useBench.setState({
              viewport: v === "fit" ? FIT : { ...s.viewport, zoom: (Number(v) / 100) * (window.devicePixelRatio || 1) },
            });
          }}
          className="h-5 border border-rule bg-sheet text-xs font-semibold text-ink"
        >
          <option value="fit">{fit ? `fit, ${(fit * 100).toFixed(0)} %` : "fit"}</option>
          {zoom !== "fit" && !ZOOMS.includes(Math.round(percent)) && (
            <option value="now">{percent.toFixed(0)} %</option>
          )}
          {ZOOMS.map((p) => (
            <option key={p} value={p}>
              {p} %
            </option>
          ))}
        </select>
      </label>
      <span className="flex w-[400px] gap-3" aria-live="off" data-testid="pixel">
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
      <DepthGuard />
      <Waiting />
      <span className="flex min-w-0 grow justify-end">
        {said && (
          <button
            type="button"
            title={`${said} (I)`}
            onClick={() => setFacts(true)}
            className="min-w-0 truncate hover:text-ink"
          >
            {said}
          </button>
        )}
      </span>
      {warnings && (
        <select
          aria-label="Warnings of"
          value={warned}
          onChange={(e) => useBench.setState({ warned: Number(e.currentTarget.value) })}
          className="h-5 border border-rule bg-sheet text-xs"
        >
          <option value={-1}>any channel</option>
          <option value={0}>red</option>
          <option value={1}>green</option>
          <option value={2}>blue</option>
        </select>
      )}
      <Aid
        on={gamut}
        text={`Hatch colours that sRGB cannot hold (G)${gamut && header ? `: ${(header.outside_gamut * 100).toFixed(1)} %` : ""}`}
        onClick={() => useBench.setState({ gamut: !gamut })}
      >
        gamut
      </Aid>
      <Aid
        on={magnifier}
        text="Full-size pixels beside the pointer (Z)"
        onClick={() => useBench.setState({ magnifier: !magnifier })}
      >
        magnifier
      </Aid>
      {c && frame && (
        <FactsDrawer id={frame.id} open={facts} setOpen={setFacts} notes={header?.notes ?? NONE}>
          {header?.full_width ?? c.width} {"\u00d7"} {header?.full_height ?? c.height}, {c.bits} bit{" "}
          {c.raw ? "raw" : c.colour_space}
        </FactsDrawer>
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

/** Says so when changes are not saved at once: the server is slow, or away. */
function Waiting() {
  const count = useBench((s) => s.waiting);
  const [late, setLate] = useState(false);
  const some = count > 0;
  useEffect(() => {
    setLate(false);
    if (!some) return;
    const timer = setTimeout(() => setLate(true), LATE_MS);
    return () => clearTimeout(timer);
  }, [some]);
  return (
    <span role="status" className="font-semibold text-wax">
      {late && some && (count === 1 ? "1 change is being saved" : `${count} changes are being saved`)}
    </span>
  );
}

function Aid({ on, text, onClick, children }: { on: boolean; text: string; onClick: () => void; children: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      title={text}
      onClick={onClick}
      className={`h-5 border px-1.5 ${on ? "border-ink bg-white font-semibold text-ink" : "border-rule hover:border-ink"}`}
    >
      {children}
    </button>
  );
}

/** Says whether steps of tone about the pointer are in the data. */
function DepthGuard() {
  const depth = useBench((s) => s.pixel?.depth);
  if (!depth) return <span className="w-44" />;
  const words = {
    full: "every level there",
    missing: `in the file: steps of ${depth.step.toFixed(1)}`,
    flat: "even, nothing to tell",
  };
  return (
    <span
      className="w-44"
      title="Looks at the data about the pointer at full precision: are levels missing in the file, or would banding only be in the view?"
    >
      depth <b className={depth.verdict === "missing" ? "text-wax" : "text-ink"}>{words[depth.verdict]}</b>
    </span>
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
