import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { BLENDS, NEUTRAL_CONTROLS, ONLY_NORMAL, type Pass } from "../../../api/generated/recipe";
import type { Point } from "../../../canvas/curve";
import { useBench } from "../../../state/bench";
import { type ControlName, controlsShown, saveAs, takeControls, usePasses, withPass } from "../../../state/passes";
import { Hint, Switch } from "../../../ui/controls";
import { Gauge } from "../../../ui/gauge";
import { ITEM, MENU } from "../../../ui/menu";
import { CurveEditor } from "../curve_editor";
import { Swatch } from "../drawing/swatch";
import { HueBand } from "../hue_band";
import { PassKeys, PassToning } from "./inks";
import { factsOfControl } from "./words";

const NONE: ControlName[] = [];
const STRAIGHT: Point[] = [
  [0, 0],
  [1, 1],
];

/** What a pass does: only the controls that were taken. */
export function What({ pass }: { pass: Pass }) {
  const taken = usePasses((s) => s.taken[pass.id] ?? NONE);
  const used = controlsShown(pass, taken);
  const put = (name: ControlName, next: unknown) => (r: Parameters<typeof withPass>[0]) =>
    withPass(r, pass.id, (p) => ({ ...p, controls: { ...p.controls, [name]: next } }));
  /** What is done is judged on the picture, not through the film. */
  const bare = () => useBench.getState().show === "area" && useBench.setState({ show: "picture" });
  const draft = (name: ControlName, next: unknown) => {
    bare();
    useBench.getState().edit(put(name, next));
  };
  const set = (name: ControlName, next: unknown) => {
    bare();
    saveAs(`${pass.id} ${name}`, put(name, next));
  };
  return (
    <section aria-label="What" className="mt-2 border-t border-rule pt-1.5">
      <div className="flex h-6 items-center px-3.5">
        <h3 className="text-sm font-semibold">What</h3>
        <span className="grow" />
        <BlendMenu pass={pass} />
        <AddControl pass={pass} used={used} />
      </div>
      {used.length === 0 && <p className="px-3.5 text-xs text-ink2">Nothing yet: add a control.</p>}
      {partsOf(used).map((part) => {
        if (part === "keys") return <PassKeys key={part} pass={pass} draft={draft} set={set} />;
        if (part === "toning") return <PassToning key={part} pass={pass} draft={draft} set={set} />;
        return <One key={part} pass={pass} name={part} draft={draft} set={set} />;
      })}
    </section>
  );
}

/** One control, or several that are one thing in the hand. */
type Part = ControlName | "keys" | "toning";

const ALL = Object.keys(NEUTRAL_CONTROLS) as ControlName[];

function partOf(name: ControlName): Part {
  return factsOfControl(name).kind === "key" ? "keys" : name.startsWith("toning") ? "toning" : name;
}

/** What is shown for some controls, in their order. */
const partsOf = (names: readonly ControlName[]): Part[] => [...new Set(names.map(partOf))];

/** The controls of a part that one looks for by name: a picked tone comes with what it is for. */
const namesIn = (part: Part): ControlName[] =>
  ALL.filter((name) => partOf(name) === part && factsOfControl(name).kind !== "picked");

const partLabel = (part: Part): string =>
  part === "keys" ? "Ink keys" : part === "toning" ? "Toning" : factsOfControl(part).label;

const labelled = (part: Part, name: ControlName): string =>
  `${partLabel(part)} ${factsOfControl(name).label}`.toLowerCase();

interface OneProps {
  pass: Pass;
  name: ControlName;
  draft: (name: ControlName, value: unknown) => void;
  set: (name: ControlName, value: unknown) => void;
}

function One({ pass, name, draft: draftOf, set: setOf }: OneProps) {
  const { cancel } = useBench.getState();
  const facts = factsOfControl(name);
  const value = pass.controls[name];
  const draft = (next: unknown) => draftOf(name, next);
  const set = (next: unknown) => setOf(name, next);
  if (facts.kind === "switch")
    return (
      <div className="flex h-7 items-center justify-between px-3.5">
        <span className="text-sm" title={facts.help}>
          {facts.label}
        </span>
        <Switch on={value === true} label={facts.label} onChange={set} />
      </div>
    );
  if (facts.kind === "picked") return <PickedTone colour={value as Picked} help={facts.help} onSet={set} />;
  if (facts.kind === "curve")
    return (
      <CurveEditor
        alone
        curves={{ luminance: STRAIGHT, rgb: value as Point[], red: STRAIGHT, green: STRAIGHT, blue: STRAIGHT }}
        histogram={null}
        onDraft={(_, points) => draft(points)}
        onSet={(_, points) => set(points)}
        onCancel={cancel}
      />
    );
  return (
    <Gauge
      facts={facts}
      value={value as number}
      neutral={NEUTRAL_CONTROLS[name] as number}
      signed={facts.low < 0}
      band={facts.kind === "hue" ? <HueBand /> : undefined}
      onDraft={draft}
      onSet={set}
      onReset={() => set(NEUTRAL_CONTROLS[name])}
      onCancel={cancel}
    >
      {ONLY_NORMAL.includes(name) && pass.blend !== "normal" && (
        <span className="ml-1.5 text-[11px] text-wax">rests: only for normal</span>
      )}
    </Gauge>
  );
}

type Picked = Pass["controls"]["shine_tone"];

const SMALL = "h-6 rounded-[3px] border border-rule bg-sheet px-1.5 text-xs font-medium hover:border-ink";

/** What shine is brought to: what lies around it, or a tone that is picked from the picture. */
function PickedTone({ colour, help, onSet }: { colour: Picked; help: string; onSet: (next: Picked) => void }) {
  const picking = usePasses((s) => s.tool === "shine");
  const toggle = () => {
    usePasses.setState({ tool: picking ? "none" : "shine", term: null });
    useBench.setState({ show: "picture", tool: "hand" });
  };
  return (
    <div className="flex h-7 items-center gap-1.5 px-3.5">
      <span className="grow text-sm" title={help}>
        Its tone
      </span>
      {colour ? <Swatch colour={colour} label="Picked tone" /> : <span className="text-xs text-ink2">from around</span>}
      <button
        type="button"
        aria-label="Pick the tone for shine from the picture"
        aria-pressed={picking}
        onClick={toggle}
        className={`${SMALL} aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet`}
      >
        {picking ? "press a place" : "Pick"}
      </button>
      {colour && (
        <button
          type="button"
          aria-label="Take the tone for shine from around it"
          onClick={() => onSet(null)}
          className={SMALL}
        >
          From around
        </button>
      )}
    </div>
  );
}

function BlendMenu({ pass }: { pass: Pass }) {
  return (
    <Hint text="How it is laid on what lies below; all but normal work on finished light">
      <select
        aria-label="Blend"
        value={pass.blend}
        onChange={(e) => {
          const blend = e.currentTarget.value as Pass["blend"];
          saveAs("", (r) => withPass(r, pass.id, (p) => ({ ...p, blend })));
        }}
        className="mr-1.5 h-6 rounded-[2px] border border-rule bg-sheet px-1 text-xs"
      >
        {BLENDS.map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </select>
    </Hint>
  );
}

/** All controls that a pass may take, found by name. */
function AddControl({ pass, used }: { pass: Pass; used: readonly ControlName[] }) {
  const [wish, setWish] = useState("");
  const parts = partsOf(used);
  const free = partsOf(ALL).filter(
    (part) => !parts.includes(part) && namesIn(part).some((n) => labelled(part, n).includes(wish.toLowerCase())),
  );
  const rows = free.length > 8 ? Math.ceil(free.length / 2) : Math.max(free.length, 1);
  const take = (part: Part) => {
    const name = namesIn(part)[0] as ControlName;
    takeControls(pass.id, name);
    if (name === "black_and_white")
      saveAs("", (r) => withPass(r, pass.id, (p) => ({ ...p, controls: { ...p.controls, black_and_white: true } })));
  };
  return (
    <DropdownMenu.Root onOpenChange={() => setWish("")}>
      <DropdownMenu.Trigger className="h-6 rounded-[3px] border border-rule bg-sheet px-1.5 text-xs font-medium hover:border-ink">
        Add a control
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className={`${MENU} max-h-[var(--radix-dropdown-menu-content-available-height)] w-[264px] overflow-y-auto`}
          align="end"
          sideOffset={4}
          collisionPadding={8}
        >
          <div className="px-2 pb-1">
            <input
              aria-label="Name of a control"
              placeholder="name"
              value={wish}
              onChange={(e) => setWish(e.currentTarget.value)}
              onKeyDown={(e) => {
                if (e.key !== "ArrowDown" && e.key !== "Escape") e.stopPropagation();
                if (e.key === "Enter" && free[0]) {
                  take(free[0]);
                  setWish("");
                }
              }}
              className="h-6 w-full rounded-[2px] border border-rule bg-white px-1.5 text-sm"
            />
          </div>
          <div className="grid auto-rows-fr grid-flow-col" style={{ gridTemplateRows: `repeat(${rows}, auto)` }}>
            {free.map((part) => (
              <DropdownMenu.Item key={part} className={ITEM} onSelect={() => take(part)}>
                {partLabel(part)}
              </DropdownMenu.Item>
            ))}
          </div>
          {free.length === 0 && <p className="px-3 py-1 text-ink2">Nothing of that name.</p>}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
