import { useEffect } from "react";
import type { Frame } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { type Place, packed, unpacked } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain, useNotices } from "../../../state/notices";
import { type Here, saveTo } from "../../../state/passes";
import { KIND_WORDS, newRepair, repairsOf, useRepairs, withPut, withRepair } from "../../../state/repairs";
import { BrushLayer, type Stroke } from "../drawing/brush_layer";
import { type OnScreen, OverPicture } from "../drawing/on_screen";
import { converted, useOnPicture } from "../drawing/places";
import { drawnWith, finishStroke, type Hand, pickColour, pickOn, putWithSource } from "./actions";
import { OutlineLayer } from "./outline_layer";
import { Rings } from "./rings";
import { SeenSource } from "./seen_source";

/** Tools of the mending list over the picture, and the rings of what is mended. */
export function OverRepairs({ frame }: { frame: Frame }) {
  return (
    <OverPicture frame={frame} working>
      {(screen) => <Layers screen={screen} />}
    </OverPicture>
  );
}

function Layers({ screen }: { screen: OnScreen }) {
  const tool = useRepairs((s) => s.tool);
  const walk = useRepairs((s) => s.walk);
  const drawing = useRepairs((s) => s.drawing);
  return (
    <>
      {drawing && (
        <OutlineLayer
          key="source"
          screen={screen}
          label="Where to take from: drag round it"
          done={(places, here) => {
            useRepairs.setState({ drawing: null });
            // the answer may come when another frame is open
            saveTo(here, "", (r) =>
              withRepair(r, drawing, (one) => ({ ...one, source_outline: packed(places), fill: "" })),
            );
          }}
          left={() => useRepairs.setState({ drawing: null })}
        />
      )}
      {tool === "patch" && !drawing && (
        <OutlineLayer
          key="outline"
          screen={screen}
          label="Outline of a patch: drag round it"
          done={(places, here) =>
            putWithSource(screen.frame.id, here, { ...newRepair("patch", newItemId()), outline: packed(places) })
          }
        />
      )}
      {tool !== "none" && tool !== "patch" && !drawing && <MendBrush screen={screen} />}
      <Rings screen={screen} />
      {walk?.frame === screen.frame.id && <WalkedTo screen={screen} />}
    </>
  );
}

/** The brush of spots, clones, heals, removals and covers. */
function MendBrush({ screen }: { screen: OnScreen }) {
  const { frame } = screen;
  const tool = useRepairs((s) => s.tool);
  const brush = useRepairs((s) => s.brush);
  const open = useRepairs((s) => s.open);
  const anchor = useRepairs((s) => s.anchor);
  const aligned = useRepairs((s) => s.aligned);
  const draft = useBench((s) => s.draft);
  const current = repairsOf(draft).find((r) => r.id === open && r.kind === tool);
  const last = current?.strokes.at(-1);
  const takes = tool === "clone" || tool === "heal" || tool === "cover";
  const pick = async (at: Place) => {
    const recipe = useBench.getState().draft;
    if (!recipe) return;
    const wanted = pickOn(frame);
    try {
      const told = await converted(frame.id, recipe, [at], "frame");
      const place = told.points[0];
      if (!place || !wanted()) return;
      if (tool === "cover") await pickColour(frame, place, wanted);
      else useRepairs.setState({ anchor: place, open: null });
    } catch (error) {
      complain(error);
    }
  };
  const follow = (recipe: Recipe, stroke: Stroke): Recipe => {
    const drawn = stroke.erase ? null : drawnWith(recipe, stroke);
    return drawn ? withPut(recipe, drawn) : recipe;
  };
  const finish = async (stroke: Stroke, here: Here, hand: Hand) => {
    const recipe = here.recipe();
    if (!stroke.erase && recipe && drawnWith(recipe, stroke, hand) === null) {
      useBench.getState().cancel();
      const what =
        tool === "cover"
          ? "Pick the colour first: hold Alt and press on it."
          : "Pick first where it comes from: hold Alt and press there.";
      useNotices.getState().say(what);
      return;
    }
    await finishStroke(frame, here, stroke, hand);
  };
  const live = (tool === "clone" || tool === "heal" || tool === "cover") && (anchor !== null || current !== undefined);
  return (
    <BrushLayer
      key={tool}
      screen={screen}
      brush={brush}
      settings={() => useRepairs.getState().brush}
      ended={(last && unpacked(last.points).at(-1)) ?? null}
      label={`${KIND_WORDS[tool === "none" ? "spot" : tool]} on the picture: arrows move the brush, Enter paints${takes ? ", Alt+Enter picks where it comes from" : ""}`}
      {...(live ? { follow } : {})}
      done={() => {
        const drawnAs = useRepairs.getState();
        return (stroke, here) => finish(stroke, here, { ...drawnAs, open: useRepairs.getState().open });
      }}
      {...(takes ? { onAlt: (at: Place) => void pick(at) } : {})}
    >
      {(pointer, radius) =>
        (tool === "clone" || tool === "heal") &&
        pointer && (
          <SeenSource
            screen={screen}
            pointer={pointer}
            radius={radius}
            anchor={current && aligned ? null : anchor}
            away={current && aligned ? [current.dx, current.dy] : null}
          />
        )
      }
    </BrushLayer>
  );
}

/** A ring about the spot that the walk looks at, and the picture at 1:1 there. */
function WalkedTo({ screen }: { screen: OnScreen }) {
  const { frame, at, picture } = screen;
  const walk = useRepairs((s) => s.walk);
  const draft = useBench((s) => s.draft);
  const spot = walk?.spots[walk.at];
  const places: Place[] = spot ? [[spot.x, spot.y]] : [];
  const told = useOnPicture(frame.id, draft, places);
  const here = told?.points[0];
  const scale = told?.scale[0] ?? 0;
  const [px, py] = here ?? [null, null];
  useEffect(() => {
    if (px === null || py === null) return;
    useBench.setState({
      viewport: { zoom: window.devicePixelRatio || 1, centreX: px / picture.width, centreY: py / picture.height },
    });
  }, [px, py, picture.width, picture.height]);
  if (!spot || !here) return null;
  const radius = Math.max(((spot.size * scale) / 2) * at.scale * 1.5, 9);
  const [x, y] = [at.left + here[0] * at.scale, at.top + here[1] * at.scale];
  return (
    <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full" fill="none">
      <circle cx={x} cy={y} r={radius} stroke="#fff" strokeWidth={3.4} strokeOpacity={0.85} />
      <circle cx={x} cy={y} r={radius} stroke="#b93817" strokeWidth={1.8} />
    </svg>
  );
}
