import { useState } from "react";
import type { Frame } from "../../api/client";
import { carry } from "../../state/carrying";
import { byFolder, useRecipePresets } from "../../state/recipe_presets";
import { Button } from "../../ui/controls";
import { SheetDialog } from "../../ui/sheet_dialog";

/** Applies a preset at a strength to many frames as one step. */
export function PresetSheet({ frames, onClose }: { frames: readonly Frame[]; onClose: () => void }) {
  const { data } = useRecipePresets();
  const [id, setId] = useState<string | null>(null);
  const [percent, setPercent] = useState(100);
  const preset = data?.presets.find((p) => p.id === id);
  const run = async () => {
    if (!preset) return;
    const targets = frames.map((f) => ({ version: f.version, values: {} }));
    if (await carry({ preset: preset.id, strength: percent / 100, targets })) onClose();
  };
  return (
    <SheetDialog
      title="Apply a preset"
      about={`to ${frames.length} frame${frames.length === 1 ? "" : "s"}, as one step`}
      onClose={onClose}
      wide={false}
      foot={
        <>
          <label className="flex items-center gap-2">
            strength
            <input
              type="range"
              min={0}
              max={150}
              step={5}
              value={percent}
              onChange={(e) => setPercent(Number(e.currentTarget.value))}
              aria-valuetext={`${percent} %`}
              className="w-36"
            />
            <span className="w-11 text-right">{percent} %</span>
          </label>
          <span className="grow" />
          <Button onClick={onClose}>Cancel</Button>
          <Button ink disabled={!preset} onClick={() => void run()}>
            Apply to {frames.length}
          </Button>
        </>
      }
    >
      <div role="radiogroup" aria-label="Preset" className="scroll-plain min-h-0 grow px-5 py-3">
        {byFolder(data?.presets ?? []).map(([folder, presets]) => (
          <section key={folder} className="mb-3">
            <h3 className="border-b border-rule font-semibold">{folder}</h3>
            {presets.map((p) => (
              <label key={p.id} className={`flex gap-2 px-1 py-1.5 ${p.id === id ? "bg-white" : ""}`}>
                <input
                  type="radio"
                  name="preset"
                  checked={p.id === id}
                  onChange={() => setId(p.id)}
                  className="mt-[3px] h-3.5 w-3.5 shrink-0 self-start"
                />
                <span>
                  <b className="font-semibold">{p.name}</b>
                  {p.note && <span className="block">{p.note}</span>}
                  <span className="block text-xs text-ink2">{p.words.join("; ")}</span>
                </span>
              </label>
            ))}
          </section>
        ))}
      </div>
    </SheetDialog>
  );
}
