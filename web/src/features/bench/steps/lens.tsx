import { useEffect, useState } from "react";
import { api, need } from "../../../api/client";
import type { components } from "../../../api/generated/api";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain } from "../../../state/notices";
import { Button } from "../../../ui/controls";
import { act, factsNow, factsSettled, useFraming } from "../framing/framing_state";
import { Control, factsOf, isTouched, Part, type StepProps, withControl } from "./control";
import { controlsOf } from "./places";

type Fits = components["schemas"]["LensOut"];
type Profile = components["schemas"]["LensProfile"];
const STRENGTHS = ["distortion", "fringes", "fall_off"] as const;
const BY_HAND = controlsOf("framing", "lens").filter(
  (name) => factsOf("framing", name)?.kind === "gauge" && !STRENGTHS.some((strength) => strength === name),
);

/** Distortion, colour fringes and fall-off: by the lens's profile, and by hand. */
export function Lens({ frame, recipe }: StepProps) {
  const [fits, setFits] = useState<Fits | null>(null);
  const tool = useFraming((s) => s.tool);
  const points = useFraming((s) => s.points);
  const { save } = useBench.getState();
  const profile = recipe.framing.lens_profile;
  const described = frame.own_lens;
  const ownLens = described && recipe.framing.own_lens === "apply";
  const used = useBench((s) => s.header?.framing?.profile ?? "");
  useEffect(() => {
    let current = true;
    setFits(null);
    need(api.GET("/api/frames/{id}/lens", { params: { path: { id: frame.id } } }))
      .then((found) => current && setFits(found))
      .catch((error: unknown) => current && complain(error));
    return () => {
      current = false;
    };
  }, [frame.id]);
  // lines that were drawn along level and plumb things stay so through another lens
  const again = () => {
    if (useBench.getState().draft?.framing.drawn_lines.length) void act(frame.id, { do: "lines_again" });
  };
  const set = (value: string) => {
    save((r) => withControl(r, "framing", "lens_profile", value));
    again();
  };
  const addPoint = async () => {
    const facts = await factsSettled();
    const header = useBench.getState().header;
    if (!facts || !header) return;
    // along the upper edge, from where the arrow keys take them to a line of the picture
    const x = facts.left + header.full_width * (0.14 + 0.12 * (points.length % 7));
    useFraming.setState({ points: [...points, [x, facts.top + 0.1 * header.full_height] as const].slice(0, 12) });
  };
  const addBent = async () => {
    const lines = factsNow()?.bent_lines ?? [];
    const bent = [...lines, { id: newItemId(), points: points.map(([x, y]) => [x, y] as [number, number]) }];
    if (await act(frame.id, { do: "bent_lines", bent_lines: bent })) useFraming.setState({ points: [] });
  };
  const names = ["lens_profile", "own_lens", ...STRENGTHS, ...BY_HAND, "bent_lines"];
  return (
    <Part title="Lens" touched={isTouched(recipe, "framing", frame.raw, names)} folded>
      <div className="px-3.5 text-sm">
        <p className="pb-1 text-xs text-ink2">
          {fits === null
            ? "\u00a0"
            : fits.lens || fits.camera
              ? `${fits.lens || "A lens that the file does not name"} on ${fits.camera || "an unnamed camera"}.`
              : "The file names neither camera nor lens."}
          {fits && !fits.certain && !described && " Choose its profile, or correct by hand."}
          {described && " The file describes its lens itself."}
        </p>
        <label className="flex items-center justify-between gap-2">
          Profile
          <select
            aria-label="Lens profile"
            value={profile}
            onChange={(e) => set(e.currentTarget.value)}
            className="h-7 w-48 border border-rule bg-sheet px-1 text-sm"
          >
            <option value="">{ownLens ? "of the file itself" : "none"}</option>
            {fits?.certain && <option value="auto">by the file: {fits.certain.model}</option>}
            {profile === "auto" && !fits?.certain && <option value="auto">by the file: none fits</option>}
            {fits?.others.map((p) => (
              <option key={p.id} value={p.id}>
                {p.model} ({p.crop_factor.toFixed(2)})
              </option>
            ))}
            {profile && profile !== "auto" && !fits?.others.some((p) => p.id === profile) && (
              <option value={profile}>{profile.split(" / ")[1] ?? profile}</option>
            )}
          </select>
        </label>
        <Search onTake={set} />
        {fits?.refused.map((sentence) => (
          <p key={sentence} className="pt-1 text-xs text-wax">
            {sentence}
          </p>
        ))}
      </div>
      {described && !profile && (
        <Control
          frame={frame}
          recipe={recipe}
          step="framing"
          name="own_lens"
          onSaved={again}
          label="Correction in the file"
        />
      )}
      {used &&
        STRENGTHS.map((name) => (
          <Control
            key={name}
            frame={frame}
            recipe={recipe}
            step="framing"
            name={name}
            onSaved={name === "distortion" ? again : undefined}
            label={{ distortion: "Distortion", fringes: "Fringes", fall_off: "Fall-off" }[name]}
          />
        ))}
      <h4 className="px-3.5 pb-0.5 pt-2 text-xs font-semibold">By hand{used ? ", added to the profile" : ""}</h4>
      {BY_HAND.map((name) => (
        <Control
          key={name}
          frame={frame}
          recipe={recipe}
          step="framing"
          name={name}
          onSaved={name.startsWith("bend") ? again : undefined}
        />
      ))}
      <div className="px-3.5 pt-1.5">
        <div className="flex gap-1.5">
          <Button
            pressed={tool === "bent"}
            onClick={() => useFraming.setState({ tool: tool === "bent" ? "crop" : "bent", points: [] })}
          >
            Measure a bent edge
          </Button>
          {tool === "bent" && (
            <Button ink disabled={points.length < 3} onClick={() => void addBent()}>
              Make straight
            </Button>
          )}
        </div>
        <p className="pt-1 text-xs text-ink2">
          {tool === "bent"
            ? `${points.length} of at least 3 points. Press along one edge that is straight in the world, well away from the middle.`
            : "Points along an edge that should be straight set the bend."}
        </p>
        {tool === "bent" && (
          <p className="flex items-center gap-1 pt-1 text-xs text-ink2">
            Without pressing:
            <Button quiet className="!h-6 !px-1" disabled={points.length >= 12} onClick={() => void addPoint()}>
              + point
            </Button>
            <Button
              quiet
              className="!h-6 !px-1"
              disabled={!points.length}
              onClick={() => useFraming.setState({ points: points.slice(0, -1) })}
            >
              take the last back
            </Button>
          </p>
        )}
        {recipe.framing.bent_lines.length > 0 && (
          <Button quiet className="!px-1" onClick={() => void act(frame.id, { do: "bent_lines", bent_lines: [] })}>
            Remove {recipe.framing.bent_lines.length === 1 ? "the measured edge" : "the measured edges"}
          </Button>
        )}
      </div>
    </Part>
  );
}

/** Any lens of the data by its name. */
function Search({ onTake }: { onTake: (id: string) => void }) {
  const [text, setText] = useState("");
  const [found, setFound] = useState<Profile[]>([]);
  useEffect(() => {
    if (text.trim().length < 2) {
      setFound([]);
      return;
    }
    const stop = new AbortController();
    const later = setTimeout(() => {
      need(api.GET("/api/lenses", { params: { query: { text } }, signal: stop.signal }))
        .then((answer) => setFound(answer.lenses))
        .catch((error: unknown) => stop.signal.aborted || complain(error));
    }, 200);
    return () => {
      clearTimeout(later);
      stop.abort();
    };
  }, [text]);
  return (
    <>
      <label className="flex items-center justify-between gap-2 pt-1">
        Find a lens
        <input
          value={text}
          onChange={(e) => setText(e.currentTarget.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className="h-7 w-48 border border-rule bg-white px-1.5 text-sm"
        />
      </label>
      {text.trim().length >= 2 && (
        <ul aria-label="Lenses found" className="mt-1 max-h-36 overflow-y-auto border border-rule bg-white">
          {found.map((p) => (
            <li key={p.id}>
              <button
                type="button"
                onClick={() => {
                  onTake(p.id);
                  setText("");
                }}
                className="block w-full truncate px-1.5 py-0.5 text-left text-xs hover:bg-zinc"
              >
                {p.model.startsWith(p.maker) ? p.model : `${p.maker} ${p.model}`}{" "}
                <span className="text-ink2">({p.crop_factor.toFixed(2)})</span>
              </button>
            </li>
          ))}
          {found.length === 0 && <li className="px-1.5 py-0.5 text-xs text-ink2">No lens of this name.</li>}
        </ul>
      )}
    </>
  );
}
