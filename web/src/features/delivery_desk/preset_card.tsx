import type { Preset } from "../../api/client";
import { DELIVERED } from "../../api/generated/recipe";
import { Button } from "../../ui/controls";
import { clamp } from "../../ui/number";
import { NumberField } from "../../ui/number_field";
import { changesOf } from "./ways";

interface Props {
  on: boolean;
  preset: Preset;
  /** As it comes. */
  plain: Preset;
  spaces: Record<string, string>;
  onChange: (change: { on?: boolean; preset?: Preset }) => void;
}

/** One way to deliver: taken or not, and its settings. */
export function PresetCard({ on, preset, plain, spaces, onChange }: Props) {
  const file = DELIVERED[preset.file_format ?? "jpeg"];
  const set = (change: Partial<Preset>) => onChange({ preset: { ...preset, ...change } });
  const row = "flex h-7 items-center justify-between gap-2 text-sm";
  return (
    <fieldset className={`border bg-sheet px-3 pb-2 pt-1.5 ${on ? "border-ink" : "border-rule"}`}>
      <legend className="sr-only">{preset.name}</legend>
      <div className="flex h-8 items-center">
        <label className="flex grow items-center gap-2 font-semibold">
          <input type="checkbox" checked={on} onChange={(e) => onChange({ on: e.currentTarget.checked })} />
          {preset.name}
        </label>
        {on && (
          <Button
            quiet
            className="-mr-2.5 !h-6 !px-2 !text-xs"
            aria-label={`Reset ${preset.name}`}
            disabled={Object.keys(changesOf(preset, plain)).length === 0}
            onClick={() => onChange({ preset: plain })}
          >
            Reset
          </Button>
        )}
      </div>
      {on && (
        <>
          <div className={row}>
            <span className="text-ink2">File</span>
            <span>
              {file?.words}, {preset.bits} bit
            </span>
          </div>
          <label className={row}>
            <span className="text-ink2">Colour space</span>
            <select
              value={preset.space}
              onChange={(e) => set({ space: e.currentTarget.value })}
              className="h-6 max-w-40 border border-rule bg-white"
            >
              {Object.entries(spaces).map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </select>
          </label>
          <div className={row}>
            <span className="text-ink2">Long edge</span>
            <span className="flex items-center gap-1.5">
              <select
                aria-label={`${preset.name}: size`}
                value={preset.long_edge ? "edge" : "full"}
                onChange={(e) => set({ long_edge: e.currentTarget.value === "full" ? null : 2048 })}
                className="h-6 border border-rule bg-white"
              >
                <option value="full">full size</option>
                <option value="edge">at most</option>
              </select>
              {preset.long_edge && (
                <>
                  <NumberField
                    label={`${preset.name}: long edge in pixels`}
                    className="w-14 !border-rule bg-white pr-1"
                    text={String(preset.long_edge)}
                    onSet={(v) => set({ long_edge: Math.round(clamp(v, 16, 100000)) })}
                  />
                  px
                </>
              )}
            </span>
          </div>
          {file?.quality && (
            <div className={row}>
              <span className="text-ink2">Quality</span>
              <NumberField
                label={`${preset.name}: quality`}
                className="w-14 !border-rule bg-white pr-1"
                text={String(preset.quality)}
                onSet={(v) => set({ quality: Math.round(clamp(v, 1, 100)) })}
              />
            </div>
          )}
          <label className={row}>
            <span className="text-ink2">Where it was taken</span>
            <select
              value={preset.location === false ? "out" : "in"}
              onChange={(e) => set({ location: e.currentTarget.value === "in" })}
              className="h-6 border border-rule bg-white"
            >
              <option value="in">told in the file</option>
              <option value="out">left out</option>
            </select>
          </label>
        </>
      )}
    </fieldset>
  );
}
