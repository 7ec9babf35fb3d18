import { ArrowLeftRight } from "lucide-react";
import { useState } from "react";
import { type Overlay, type Rect, ratioOf, withRatio } from "../../../canvas/plane";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { usePresets } from "../../../state/queries";
import { Button, Hint } from "../../../ui/controls";
import { leave } from "../../../ui/focus";
import { NumberField } from "../../../ui/number_field";
import { act, useFraming } from "../framing/framing_state";
import { Control, factsOf, isTouched, Part, type StepProps, withControl, withControls } from "./control";

const RATIOS = ["original", "free", "1:1", "5:4", "4:3", "7:5", "3:2", "16:9", "2:1"] as const;
const OVERLAYS: Overlay[] = ["none", "thirds", "golden", "centre", "diagonals", "grid"];
const CROP = ["crop_x", "crop_y", "crop_width", "crop_height", "ratio", "reach_beyond", "beyond", "guides"] as const;
const WHOLE = { crop_x: 0, crop_y: 0, crop_width: 0, crop_height: 0 };

/** Where the finished picture ends. */
export function Crop({ frame, recipe }: StepProps) {
  const overlay = useFraming((s) => s.overlay);
  const header = useBench((s) => s.header);
  const { save } = useBench.getState();
  const [typed, setTyped] = useState<string | null>(null);
  const framing = recipe.framing;
  const facts = header?.framing;
  const drawn = framing.crop_width > 0;
  const flipped = framing.ratio.split(":").reverse().join(":");
  const known = RATIOS.find((r) => r === framing.ratio || r === flipped);

  const choose = (ratio: string) => {
    useFraming.setState({ tool: "crop" });
    const original = facts ? facts.source_width / facts.source_height : 1.5;
    const value = ratioOf(ratio, original);
    if (!drawn || !facts || !header || value === null) {
      save((r) => withControl(r, "framing", "ratio", ratio));
      return;
    }
    const now: Rect = [facts.left, facts.top, header.full_width, header.full_height];
    const next = withRatio(now, value, framing.reach_beyond ? null : facts.outline);
    void act(frame.id, { do: "crop", rectangle: [...next], ratio });
  };
  const upright = header ? header.full_height > header.full_width : false;
  const turned = (ratio: string) => {
    // a ratio is offered the way the picture stands
    const [a = 1, b = 1] = ratio.split(":").map(Number);
    return ratio.includes(":") && upright && a > b ? `${b}:${a}` : ratio;
  };
  const megapixels = header ? (header.full_width * header.full_height) / 1e6 : 0;
  return (
    <Part
      title="Crop"
      touched={isTouched(recipe, "framing", frame.raw, CROP)}
      aside={
        <Button
          quiet
          className="!h-6 !px-1"
          disabled={!drawn && framing.ratio === "original"}
          onClick={() => save((r) => withControls(r, "framing", { ...WHOLE, ratio: "original" }))}
        >
          Whole picture
        </Button>
      }
    >
      <div className="flex items-center gap-1.5 px-3.5 pb-1">
        <label className="flex grow items-center justify-between gap-2 text-sm">
          Ratio
          <select
            aria-label="Ratio"
            value={typed !== null ? "typed" : (known ?? "typed")}
            onChange={(e) => {
              const v = e.currentTarget.value;
              if (v === "typed") setTyped(framing.ratio.includes(":") ? framing.ratio : "");
              else {
                setTyped(null);
                choose(turned(v));
              }
            }}
            className="h-7 min-w-24 border border-rule bg-sheet px-1 text-sm"
          >
            {RATIOS.map((r) => (
              <option key={r} value={r}>
                {turned(r).replace(":", " : ")}
              </option>
            ))}
            <option value="typed">{known ? "typed \u2026" : framing.ratio.replace(":", " : ")}</option>
          </select>
        </label>
        {(typed !== null || !known) && (
          <input
            aria-label="Typed ratio"
            placeholder="6:7"
            value={typed ?? framing.ratio}
            onChange={(e) => setTyped(e.currentTarget.value)}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Enter") leave(e.currentTarget);
            }}
            onBlur={() => {
              const text = typed?.replace(/\s/g, "").replace(/[x\u00d7/]/, ":");
              setTyped(null);
              if (text && text !== framing.ratio) choose(text);
            }}
            className="h-7 w-16 border border-rule bg-white px-1 text-right text-sm"
          />
        )}
        <Hint text="Upright or lying: the sides change places">
          <Button
            aria-label="Swap the sides"
            disabled={!framing.ratio.includes(":")}
            onClick={() => choose(flipped)}
            className="!px-1.5"
          >
            <ArrowLeftRight size={14} aria-hidden />
          </Button>
        </Hint>
      </div>
      <label className="flex items-center justify-between px-3.5 pb-1 text-sm">
        Lines to judge by
        <select
          value={overlay}
          onChange={(e) => useFraming.setState({ overlay: e.currentTarget.value as Overlay })}
          className="h-7 min-w-24 border border-rule bg-sheet px-1 text-sm"
        >
          {OVERLAYS.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      </label>
      <Guides frame={frame} recipe={recipe} />
      <Control frame={frame} recipe={recipe} step="framing" name="reach_beyond" />
      {framing.reach_beyond && (
        <label className="flex items-center justify-between gap-2 px-3.5 text-sm">
          Filled with
          <select
            value={framing.beyond}
            onChange={(e) => save((r) => withControl(r, "framing", "beyond", e.currentTarget.value))}
            className="h-7 border border-rule bg-sheet px-1 text-sm"
          >
            {factsOf("framing", "beyond")?.options?.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </label>
      )}
      {header && (
        <p className="px-3.5 pt-1 text-xs text-ink2" data-testid="result-size">
          <b className="text-ink">
            {header.full_width} {"\u00d7"} {header.full_height}
          </b>{" "}
          px, {megapixels.toFixed(megapixels < 10 ? 1 : 0)} megapixels
          {facts && facts.beyond > 0.0005 && (
            <>
              ; {(facts.beyond * 100).toFixed(1)} % of it lies beyond the picture
              {facts.bare > 0.0005
                ? ""
                : framing.beyond === "stretch"
                  ? ", where the border is stretched"
                  : " and is filled"}
            </>
          )}
          {facts?.shrunk && <>; made smaller to stay on the picture</>}
        </p>
      )}
      <TooSmall width={header?.full_width ?? 0} height={header?.full_height ?? 0} />
    </Part>
  );
}

/** Ways to deliver that ask for more pixels than there are. */
function TooSmall({ width, height }: { width: number; height: number }) {
  const presets = usePresets().data?.presets ?? [];
  const long = Math.max(width, height);
  const missed = presets.filter((p) => p.long_edge && long && long < p.long_edge);
  if (!missed.length) return null;
  return (
    <p className="px-3.5 pt-0.5 text-xs text-wax">
      {missed
        .map((p) => `\u201c${p.name}\u201d asks for ${p.long_edge} px; this is smaller and is not enlarged.`)
        .join(" ")}
    </p>
  );
}

/** Lines at a percentage, to see whether something stands exactly where it should. */
function Guides({ recipe }: StepProps) {
  const { save } = useBench.getState();
  const guides = recipe.framing.guides;
  const set = (next: typeof guides) => save((r) => withControl(r, "framing", "guides", next));
  return (
    <div className="px-3.5 pb-1">
      <div className="flex h-7 items-center gap-1 text-sm">
        <span className="grow">Guides</span>
        {(["upright", "level"] as const).map((across) => (
          <Button
            key={across}
            quiet
            className="!h-6 !px-1"
            disabled={guides.length >= 12}
            onClick={() => set([...guides, { id: newItemId(), across, percent: 50 }])}
          >
            + {across}
          </Button>
        ))}
      </div>
      <ul aria-label="Guides">
        {guides.map((guide, i) => (
          <li key={guide.id} className="flex h-6 items-center gap-1 text-sm">
            <span className="w-14 text-ink2">{guide.across}</span>
            <NumberField
              label={`Guide ${i + 1}, percent`}
              className="w-14"
              text={String(guide.percent)}
              onSet={(v) =>
                set(guides.map((g) => (g.id === guide.id ? { ...g, percent: Math.min(Math.max(v, 0), 100) } : g)))
              }
            />
            <span className="text-xs text-ink2">%</span>
            <span className="grow" />
            <Button
              quiet
              className="!h-6 !px-1"
              aria-label={`Remove guide ${i + 1}`}
              onClick={() => set(guides.filter((g) => g.id !== guide.id))}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}
