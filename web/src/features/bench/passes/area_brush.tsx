import type { Recipe } from "../../../api/generated/recipe";
import { unpacked } from "../../../canvas/strokes";
import { saveTo, type TermOf, usePasses, withTerm } from "../../../state/passes";
import { BrushLayer, type Stroke } from "../drawing/brush_layer";
import type { OnScreen } from "../drawing/on_screen";

/** The brush that paints a part of a pass's area. */
export function AreaBrush({ screen, pass, term }: { screen: OnScreen; pass: string; term: TermOf<"brush"> }) {
  const brush = usePasses((s) => s.brush);
  const withStroke = (recipe: Recipe, stroke: Stroke): Recipe =>
    withTerm(recipe, pass, term.id, (t) =>
      t.kind === "brush" ? { ...t, strokes: [...t.strokes.filter((s) => s.id !== stroke.id), stroke] } : t,
    );
  const last = term.strokes.at(-1);
  return (
    <BrushLayer
      screen={screen}
      brush={brush}
      settings={() => usePasses.getState().brush}
      ended={(last && unpacked(last.points).at(-1)) ?? null}
      label="Paint on the picture: arrows move the brush, Enter paints, Shift+Enter a straight stroke"
      follow={withStroke}
      done={() => (stroke, here) => saveTo(here, "", (r) => withStroke(r, stroke))}
    />
  );
}
