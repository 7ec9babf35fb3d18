import { Popover } from "radix-ui";
import { useRef, useState } from "react";
import { api, type Frame, need } from "../../api/client";
import { alone } from "../../state/alone";
import { useBench } from "../../state/bench";
import { complain } from "../../state/notices";
import type { Values } from "../../state/patch";
import { patched } from "../../state/patch";
import {
  byFolder,
  deletePreset,
  importPresets,
  type RecipePreset,
  refreshPresets,
  useRecipePresets,
} from "../../state/recipe_presets";
import { whenAnswered } from "../../state/turns";
import { Button } from "../../ui/controls";
import { AdjustmentList } from "../carry/adjustment_list";
import { useAdjustments } from "../carry/use_adjustments";

/** Presets: seen on the picture while the pointer or the keyboard rests on them, applied at a strength, kept, passed on. */
export function PresetsDrawer({ frame, version }: { frame: Frame; version: number }) {
  const [open, setOpen] = useState(false);
  const [keeping, setKeeping] = useState(false);
  const { data } = useRecipePresets();
  const [percent, setPercent] = useState(100);
  const [words, setWords] = useState<{ id: string; words: string[] } | null>(null);
  const shown = useRef("");
  const file = useRef<HTMLInputElement>(null);

  const values = (p: RecipePreset) =>
    need(api.POST("/api/recipe-presets/values", { body: { id: p.id, version, strength: percent / 100 } }));
  const leave = () => {
    if (shown.current) useBench.getState().cancel();
    shown.current = "";
    setWords(null);
  };
  const preview = async (p: RecipePreset) => {
    leave();
    shown.current = p.id;
    try {
      const found = await values(p);
      // the pointer may have gone on meanwhile, and the bench to another frame
      if (shown.current !== p.id || useBench.getState().version?.id !== version) return;
      setWords({ id: p.id, words: found.words });
      useBench.getState().edit((r) => patched(r, { values: found.values as Values, switches: {} }));
    } catch (error) {
      complain(error);
    }
  };
  const apply = async (p: RecipePreset) => {
    const { save } = useBench.getState().forThis();
    try {
      await whenAnswered(values(p), (found) => {
        leave();
        save((r) => patched(r, { values: found.values as Values, switches: {} }));
      });
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (!next) leave();
        setKeeping(false);
        setOpen(next);
      }}
    >
      <Popover.Trigger asChild>
        <Button>Presets</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Presets"
          onPointerLeave={leave}
          className="z-40 flex max-h-[80vh] w-[350px] flex-col border border-ink bg-sheet shadow-lg"
        >
          {keeping ? (
            <Keep version={version} raw={frame.raw} onClose={() => setKeeping(false)} />
          ) : (
            <>
              <label className="flex items-center gap-2 border-b border-rule px-3 py-2">
                strength
                <input
                  type="range"
                  min={0}
                  max={150}
                  step={5}
                  value={percent}
                  aria-valuetext={`${percent} %`}
                  onChange={(e) => setPercent(Number(e.currentTarget.value))}
                  className="min-w-0 grow"
                />
                <span className="w-11 text-right">{percent} %</span>
              </label>
              <div className="scroll-plain min-h-0 grow px-3 py-2">
                {data?.refused.map((sentence) => (
                  <p key={sentence} className="text-xs text-wax">
                    {sentence}
                  </p>
                ))}
                {byFolder(data?.presets ?? []).map(([folder, presets]) => (
                  <section key={folder} className="mb-2">
                    <h3 className="border-b border-rule font-semibold">{folder}</h3>
                    {presets.map((p) => (
                      <div key={p.id} className="flex items-start gap-1">
                        <button
                          type="button"
                          onPointerEnter={() => void preview(p)}
                          onFocus={(e) => e.currentTarget.matches(":focus-visible") && void preview(p)}
                          onBlur={leave}
                          onClick={() => void apply(p)}
                          className="min-w-0 grow px-1 py-1 text-left hover:bg-white"
                        >
                          <b className="font-semibold">{p.name}</b>
                          <span className="block text-xs text-ink2">
                            {words?.id === p.id
                              ? words.words.length
                                ? `Would change: ${words.words.join("; ")}`
                                : "Would change nothing"
                              : p.note || p.words.join("; ")}
                          </span>
                        </button>
                        {!p.own && (
                          <span className="flex pt-1">
                            <a
                              href={`/api/recipe-presets/file?id=${encodeURIComponent(p.id)}`}
                              download
                              aria-label={`Pass ${p.name} on as a file`}
                              className="inline-flex h-6 min-w-6 items-center justify-center px-1 text-xs text-ink2 hover:text-ink hover:underline"
                            >
                              file
                            </a>
                            <button
                              type="button"
                              aria-label={`Delete the preset ${p.name}`}
                              onClick={() => void deletePreset(p)}
                              className="h-6 w-6 text-ink2 hover:text-ink"
                            >
                              {"\u00d7"}
                            </button>
                          </span>
                        )}
                      </div>
                    ))}
                  </section>
                ))}
              </div>
              <div className="flex gap-2 border-t border-rule bg-paper px-3 py-2">
                <Button onClick={() => setKeeping(true)}>Keep as preset</Button>
                <Button onClick={() => file.current?.click()}>From a file</Button>
                <input
                  ref={file}
                  type="file"
                  accept=".json,application/json"
                  multiple
                  hidden
                  onChange={(e) => {
                    void importPresets(e.currentTarget.files ?? []);
                    e.currentTarget.value = "";
                  }}
                />
              </div>
            </>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Chooses what of the frame on the bench becomes a preset, and its name. */
function Keep({ version, onClose }: { version: number; raw: boolean; onClose: () => void }) {
  const { adjustments, taken, onTake } = useAdjustments(version);
  const [name, setName] = useState("");
  const [folder, setFolder] = useState("");
  const keep = async () => {
    try {
      const body = {
        version,
        operations: [...taken],
        name: name.trim(),
        folder: folder.trim(),
        note: "",
        replace: false,
      };
      await alone(["preset", body], () => need(api.POST("/api/recipe-presets", { body })));
      refreshPresets();
      onClose();
    } catch (error) {
      complain(error);
    }
  };
  const field = "h-7 min-w-0 border border-rule bg-white px-2";
  return (
    <form
      className="flex min-h-0 flex-col"
      onKeyDown={(e) => e.stopPropagation()}
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() && taken.size) void keep();
      }}
    >
      <div className="grid grid-cols-[52px_1fr] items-center gap-x-2 gap-y-1.5 border-b border-rule px-3 py-2">
        <label htmlFor="preset-name">Name</label>
        <input
          id="preset-name"
          // biome-ignore lint/a11y/noAutofocus: it was asked for by a press
          autoFocus
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.currentTarget.value)}
          className={field}
        />
        <label htmlFor="preset-folder">Folder</label>
        <input
          id="preset-folder"
          value={folder}
          maxLength={80}
          placeholder="none"
          onChange={(e) => setFolder(e.currentTarget.value)}
          className={field}
        />
      </div>
      <div className="scroll-plain min-h-0 grow px-3 py-2">
        <AdjustmentList {...{ adjustments, taken, onTake }} />
      </div>
      <div className="flex justify-end gap-2 border-t border-rule bg-paper px-3 py-2">
        <Button onClick={onClose}>Back</Button>
        <Button ink type="submit" disabled={!name.trim() || !taken.size}>
          Keep
        </Button>
      </div>
    </form>
  );
}
