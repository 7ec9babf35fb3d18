import { Dialog } from "radix-ui";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, need } from "../../api/client";
import { useBench } from "../../state/bench";
import { carry } from "../../state/carrying";
import { complain } from "../../state/notices";
import { thumbUrl, useShoots } from "../../state/queries";
import { useRecipePresets } from "../../state/recipe_presets";
import { go, useRoute } from "../../state/route";
import { useFocusReturn } from "../../ui/focus";
import { type Command, commandsAt, score } from "./commands";
import { EMPTY_SEARCH, type FoundFrame } from "./search";

const MOST_COMMANDS = 7;
const MOST_FRAMES = 8;
const PAUSE_MS = 120;

interface Row extends Command {
  frame?: FoundFrame;
}

/** Ctrl+K anywhere: a place, a step, a control, a preset, a shoot or a frame by name. */
export function FindDialog() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "k" || e.shiftKey || e.altKey) return;
      e.preventDefault();
      setOpen(true);
    };
    // before any field that keeps its keys to itself
    window.addEventListener("keydown", key, true);
    return () => window.removeEventListener("keydown", key, true);
  }, []);
  return open ? <Finder onClose={() => setOpen(false)} /> : null;
}

function Finder({ onClose }: { onClose: () => void }) {
  const focus = useFocusReturn();
  const route = useRoute();
  const shoots = useShoots();
  const presets = useRecipePresets();
  const version = useBench((s) => s.version?.id);
  const [typed, setTyped] = useState("");
  const [frames, setFrames] = useState<readonly FoundFrame[]>([]);
  const [at, setAt] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  /** A control that was chosen takes the keyboard itself. */
  const goes = useRef(false);

  useEffect(() => {
    const text = typed.trim();
    if (text.length < 2) {
      setFrames([]);
      return;
    }
    let wanted = true;
    const later = setTimeout(() => {
      need(api.POST("/api/find", { body: { search: { ...EMPTY_SEARCH, text }, limit: MOST_FRAMES, start: 0 } }))
        .then((found) => wanted && setFrames(found.frames))
        .catch(complain);
    }, PAUSE_MS);
    return () => {
      wanted = false;
      clearTimeout(later);
    };
  }, [typed]);

  const commands = useMemo(() => {
    const all: Command[] = [
      ...commandsAt(route),
      ...(shoots.data?.shoots ?? []).map((s) => ({
        name: s.name,
        where: "shoot",
        run: () => go({ place: "sheet", shoot: s.id }),
      })),
    ];
    if (route.place === "bench" && version !== undefined)
      for (const p of presets.data?.presets ?? [])
        all.push({
          name: p.name,
          where: "preset",
          run: () => void carry({ preset: p.id, targets: [{ version, values: {} }] }),
        });
    return all;
  }, [route, shoots.data, presets.data, version]);
  const rows = useMemo<Row[]>(() => {
    const named = commands
      .map((c) => ({ c, score: typed.trim() ? score(c.name, typed) : 1 }))
      .filter((s) => s.score > 0)
      .sort((a, b) => b.score - a.score)
      .slice(0, MOST_COMMANDS)
      .map((s) => s.c);
    const found = frames.map((frame) => ({
      name: frame.name,
      where: frame.shoot_name,
      frame,
      run: () => go({ place: "bench", shoot: frame.shoot, frame: frame.id, step: "tone" }),
    }));
    const more: Row[] = typed.trim()
      ? [
          {
            name: `All frames with "${typed.trim()}"`,
            where: "find",
            run: () => go({ place: "find", search: JSON.stringify({ text: typed.trim() }) }),
          },
        ]
      : [];
    return [...named, ...found, ...more];
  }, [commands, frames, typed]);
  const here = Math.min(at, rows.length - 1);
  useEffect(() => {
    list.current?.children[here]?.scrollIntoView({ block: "nearest" });
  }, [here]);
  const run = (row: Row | undefined) => {
    if (!row) return;
    goes.current = true;
    onClose();
    row.run();
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={focus.onOpenAutoFocus}
          onCloseAutoFocus={(e) => (goes.current ? e.preventDefault() : focus.onCloseAutoFocus(e))}
          className="fixed left-1/2 top-[12vh] z-40 flex max-h-[70vh] w-[560px] -translate-x-1/2 flex-col border border-ink bg-sheet shadow-xl"
        >
          <Dialog.Title className="sr-only">Find</Dialog.Title>
          <input
            // biome-ignore lint/a11y/noAutofocus: it was asked for by a key
            autoFocus
            role="combobox"
            aria-label="Find a frame, a shoot, a control, a step or a preset"
            aria-expanded="true"
            aria-controls="find-rows"
            aria-activedescendant={rows[here] ? `find-row-${here}` : undefined}
            placeholder="Name of a frame, shoot, control, step or preset"
            value={typed}
            maxLength={200}
            onChange={(e) => {
              setTyped(e.currentTarget.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              const step = { ArrowDown: 1, ArrowUp: -1 }[e.key];
              if (step && rows.length) setAt((here + step + rows.length) % rows.length);
              else if (e.key === "Enter") run(rows[here]);
              else return;
              e.preventDefault();
            }}
            className="h-11 shrink-0 border-b border-ink bg-white px-4 text-[15px] !outline-none"
          />
          <div ref={list} id="find-rows" role="listbox" aria-label="Found" className="scroll-plain min-h-0 grow py-1">
            {rows.map((row, i) => (
              // biome-ignore lint/a11y/useKeyWithClickEvents: the field above has the keyboard
              <div
                key={`${row.where}/${row.name}/${row.frame?.id ?? ""}`}
                id={`find-row-${i}`}
                role="option"
                tabIndex={-1}
                aria-selected={i === here}
                onClick={() => run(row)}
                onPointerMove={() => setAt(i)}
                className={`flex cursor-default items-center gap-3 px-4 py-1 ${i === here ? "bg-white" : ""}`}
              >
                {row.frame && <img src={thumbUrl(row.frame)} alt="" className="h-8 w-12 shrink-0 object-contain" />}
                <span className={i === here ? "font-semibold" : ""}>{row.name}</span>
                <span className="ml-auto truncate pl-4 text-xs text-ink2">{row.where}</span>
              </div>
            ))}
            {!rows.length && <p className="px-4 py-2 text-ink2">Nothing has this name.</p>}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
