import { useEffect, useRef, useState } from "react";
import { api, type Frame, need } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { closeView, fetchView } from "../../../api/view";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain } from "../../../state/notices";
import { patched, type Values } from "../../../state/patch";
import { Button } from "../../../ui/controls";

interface Proposal {
  name: string;
  summary: string;
  values: Values;
  reasons: Record<string, string>;
}

/** A recipe with a proposal's values in it. */
export function withValues(recipe: Recipe, values: Values): Recipe {
  return patched(recipe, { values, switches: {} });
}

/** Measured starts, as small pictures made by the engine; pressing one takes its values over. */
export function Proposals({
  frame,
  recipe,
  of,
}: {
  frame: Frame;
  recipe: Recipe;
  of: "framing" | "balance" | "tone" | "whole";
}) {
  const [found, setFound] = useState<{ frame: number; base: Recipe; list: Proposal[]; asked: string } | null>(null);
  const [busy, setBusy] = useState(false);
  const [taken, setTaken] = useState<number | null>(null);
  const { save } = useBench.getState();
  const current = found?.frame === frame.id ? found : null;
  const ask = async (what: typeof of) => {
    setBusy(true);
    setTaken(null);
    try {
      const answer = await need(
        api.POST("/api/frames/{id}/suggest", {
          params: { path: { id: frame.id } },
          body: { recipe, of: what },
        }),
      );
      setFound({ frame: frame.id, base: recipe, list: answer.proposals, asked: newItemId() });
    } catch (error) {
      complain(error);
    }
    setBusy(false);
  };
  const take = (i: number, p: Proposal) => {
    setTaken(i);
    const reasons = useBench.getState().reasons;
    useBench.setState({ reasons: { ...reasons, ...p.reasons } });
    save((r) => withValues(r, p.values));
  };
  return (
    <section aria-label="Suggestions" className="px-3.5 pb-1.5 pt-1">
      <div className="flex items-center gap-1.5">
        <Button disabled={busy} onClick={() => void ask(of)}>
          {busy ? "Measuring" : `Suggest ${of}`}
        </Button>
        {of === "tone" && (
          <Button quiet className="!px-1" disabled={busy} onClick={() => void ask("whole")}>
            with balance
          </Button>
        )}
        <span className="grow" />
        {current && (
          <Button quiet className="!px-1" onClick={() => setFound(null)}>
            Close
          </Button>
        )}
      </div>
      {current && current.list.length === 0 && (
        <p className="pt-1 text-xs text-ink2">
          Almost all of this picture is dark or blown: nothing can be measured on it.
        </p>
      )}
      {current && current.list.length > 0 && (
        <ul className="grid grid-cols-2 gap-1.5 pt-1.5">
          {current.list.map((p, i) => (
            <li key={`${current.asked} ${p.name}`}>
              <button
                type="button"
                aria-pressed={taken === i}
                title={[...new Set(Object.values(p.reasons))].join("\n")}
                onClick={() => take(i, p)}
                className={`block w-full border bg-sheet p-[3px] text-left ${taken === i ? "border-ink shadow-[inset_0_0_0_1px_#161616]" : "border-rule hover:border-ink"}`}
              >
                <Small frame={frame} recipe={withValues(current.base, p.values)} />
                <span className="block truncate px-0.5 pt-0.5 text-xs font-semibold">{p.name}</span>
                <span className="block px-0.5 text-[11px] text-ink2">{p.summary}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** A small picture of the frame under a recipe. */
function Small({ frame, recipe }: { frame: Frame; recipe: Recipe }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState([240, 160]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is made once, for the answer that it belongs to
  useEffect(() => {
    const stop = new AbortController();
    const window = { scaledWidth: 240, scaledHeight: 160, x: 0, y: 0, width: 0, height: 0 };
    fetchView(frame.id, recipe, window, { box: true, urgency: "rest" }, stop.signal)
      .then((view) => {
        const element = canvas.current;
        if (!element) return;
        element.width = view.picture.width;
        element.height = view.picture.height;
        const context = element.getContext("2d");
        if (context) view.picture.draw(context, 0, 0);
        closeView(view);
        setSize([element.width, element.height]);
      })
      .catch((error: unknown) => stop.signal.aborted || complain(error));
    return () => stop.abort();
  }, [frame.id]);
  return (
    <canvas
      ref={canvas}
      width={size[0]}
      height={size[1]}
      className="mx-auto block h-[70px] max-w-full bg-surround object-contain"
    />
  );
}
