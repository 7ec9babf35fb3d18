import { ArrowDown, ArrowUp, ChevronLeft, ChevronRight, Trash2 } from "lucide-react";
import { useState } from "react";
import type { Frame } from "../../../api/client";
import type { Recipe, Repair } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { saveAs } from "../../../state/passes";
import { KIND_WORDS, repairsOf, useRepairs, withOrder, withRepair } from "../../../state/repairs";
import { Button, Switch } from "../../../ui/controls";
import { Gauge, type GaugeFacts } from "../../../ui/gauge";
import { Act } from "../drawing/act";
import { nextCandidate } from "./actions";
import type { Pair } from "./tiny_pairs";

interface Props {
  frame: Frame;
  repair: Repair;
  number: number;
  opened: boolean;
  pair: Pair | undefined;
}

/** One repair: its number, kind, before and after, how strongly, and whether it acts. */
export function RepairRow({ frame, repair, number, opened, pair }: Props) {
  const filling = useRepairs((s) => s.filling.includes(repair.id));
  const name = `${KIND_WORDS[repair.kind]} ${number}`;
  const put = (change: (one: Repair) => Repair) => (r: Recipe) => withRepair(r, repair.id, change);
  const state =
    repair.kind === "removal"
      ? repair.fill
        ? `fill ${repair.seed + 1}`
        : !repair.strokes.length
          ? filling
            ? "being filled"
            : "waits to be filled"
          : filling
            ? "a quick fill; the full one is being looked for"
            : "a quick fill"
      : repair.candidate
        ? `place ${repair.candidate + 1}`
        : "";
  return (
    <li aria-label={name} data-repair={repair.id} className={`border-t border-rule ${opened ? "bg-sheet" : ""}`}>
      <div className="flex items-center gap-2 py-1.5 pl-3 pr-3.5">
        <button
          type="button"
          aria-expanded={opened}
          onClick={() => useRepairs.setState({ open: opened ? null : repair.id })}
          className="flex min-w-0 grow items-center gap-2 text-left"
        >
          <span
            className={`flex h-[19px] min-w-[19px] items-center justify-center rounded-full border px-1 text-[11px] font-semibold ${opened ? "border-ink bg-ink text-white" : "border-ink"}`}
          >
            {number}
          </span>
          <span className="flex h-[38px] shrink-0 gap-px border border-rule bg-[#202020]">
            {pair && <img src={pair.before} alt="" className="h-full w-9 object-cover" draggable={false} />}
            {pair && <img src={pair.after} alt="" className="h-full w-9 object-cover" draggable={false} />}
            {!pair && <span className="w-[73px]" />}
          </span>
          <span className="min-w-0">
            <span className={`block truncate text-sm font-semibold ${repair.on ? "" : "text-ink2 line-through"}`}>
              {KIND_WORDS[repair.kind]}
            </span>
            <span className="block truncate text-xs text-ink2" title={state}>
              {repair.strength < 100 ? `${repair.strength} %${state ? `, ${state}` : ""}` : state}
            </span>
          </span>
        </button>
        <Switch
          on={repair.on}
          label={`${name} switched on`}
          onChange={(on) =>
            saveAs(
              "",
              put((one) => ({ ...one, on })),
            )
          }
        />
      </div>
      {opened && <Opened {...{ frame, repair, number, name, put }} />}
    </li>
  );
}

const facts = (label: string, low: number, high: number, unit: string, help: string): GaugeFacts => ({
  label,
  low,
  high,
  step: 1,
  unit,
  help,
  decimals: 0,
  scale: "linear",
});
const STRENGTH = facts(
  "Strength",
  0,
  100,
  "%",
  "How much of it is laid on: half softens a line without taking it away.",
);
const SOFTEN = facts("Soft border", 0, 400, "px", "Over how many pixels of the full picture its border runs out.");
const REACH: GaugeFacts = {
  ...facts("Look around", 25, 400, "%", "How far about it is looked for what goes there."),
  step: 5,
};

function Opened(props: {
  frame: Frame;
  repair: Repair;
  number: number;
  name: string;
  put: (change: (one: Repair) => Repair) => (r: Recipe) => Recipe;
}) {
  const { frame, repair, number, name, put } = props;
  const { edit, cancel } = useBench.getState();
  const [busy, setBusy] = useState(false);
  const step = (by: 1 | -1) => {
    if (busy) return;
    setBusy(true);
    nextCandidate(frame, repair, by)
      .catch(complain)
      .finally(() => setBusy(false));
  };
  const gauge = (field: "strength" | "soften_px", f: GaugeFacts, neutral: number) => (
    <Gauge
      facts={f}
      value={repair[field]}
      neutral={neutral}
      onDraft={(v) => edit(put((one) => ({ ...one, [field]: v })))}
      onSet={(v) =>
        saveAs(
          `${repair.id} ${field}`,
          put((one) => ({ ...one, [field]: v })),
        )
      }
      onReset={() =>
        saveAs(
          `${repair.id} ${field}`,
          put((one) => ({ ...one, [field]: neutral })),
        )
      }
      onCancel={cancel}
    />
  );
  const move = (by: number) => saveAs("", (r) => withOrder(r, repair.id, number - 1 + by));
  return (
    <div className="pb-2">
      {gauge("strength", STRENGTH, 100)}
      {repair.kind === "patch" && gauge("soften_px", SOFTEN, 4)}
      {repair.kind === "removal" && !repair.source_outline.length && <ReachGauge repair={repair} put={put} />}
      {repair.kind === "removal" && <TakenFrom repair={repair} put={put} />}
      <div className="flex items-center gap-0.5 px-3 pt-1">
        {repair.kind !== "cover" && (
          <>
            <Act
              label={repair.kind === "removal" ? "The fill before" : "The place before (Shift+N)"}
              onClick={() => step(-1)}
              icon={<ChevronLeft size={15} aria-hidden />}
            />
            <span className="text-xs text-ink2" aria-live="polite">
              {repair.kind === "removal" ? `fill ${repair.seed + 1}` : `place ${repair.candidate + 1}`}
            </span>
            <Act
              label={repair.kind === "removal" ? "Another fill (N)" : "Another place to take it from (N)"}
              onClick={() => step(1)}
              icon={<ChevronRight size={15} aria-hidden />}
            />
          </>
        )}
        {repair.kind === "cover" && (
          <label className="flex h-6 items-center gap-1 text-xs">
            <input
              type="checkbox"
              checked={repair.grain}
              onChange={(e) => {
                const grain = e.currentTarget.checked;
                saveAs(
                  "",
                  put((one) => ({ ...one, grain })),
                );
              }}
            />
            with grain
          </label>
        )}
        <span className="grow" />
        <Act label="Do it earlier" onClick={() => number > 1 && move(-1)} icon={<ArrowUp size={14} aria-hidden />} />
        <Act
          label="Do it later"
          onClick={() => number < repairsOf(useBench.getState().draft).length && move(1)}
          icon={<ArrowDown size={14} aria-hidden />}
        />
        <Act
          label={`Strike out ${name}`}
          onClick={() => {
            useRepairs.setState({ open: null });
            saveAs("", (r) => withRepair(r, repair.id, () => null));
          }}
          icon={<Trash2 size={14} aria-hidden />}
        />
      </div>
    </div>
  );
}

/** Where a removal may take from: all round, or where it was drawn. */
function TakenFrom({
  repair,
  put,
}: {
  repair: Repair;
  put: (change: (one: Repair) => Repair) => (r: Recipe) => Recipe;
}) {
  const drawing = useRepairs((s) => s.drawing === repair.id);
  const drawn = repair.source_outline.length > 0;
  return (
    <div className="flex items-center gap-1.5 px-3.5 pt-1 text-xs text-ink2">
      <span className="grow">
        {drawing ? "Draw round what it may take." : drawn ? "Taken from where it was drawn." : "Taken from all round."}
      </span>
      {drawn && !drawing && (
        <Button
          quiet
          className="!px-1.5"
          onClick={() =>
            saveAs(
              "",
              put((one) => ({ ...one, source_outline: [], fill: "" })),
            )
          }
        >
          All round
        </Button>
      )}
      <Button
        quiet
        className="!px-1.5"
        pressed={drawing}
        onClick={() => useRepairs.setState({ drawing: drawing ? null : repair.id })}
      >
        {drawn ? "Draw anew" : "Draw where from"}
      </Button>
    </div>
  );
}

/** How far a removal looks: a new fill is wanted only when the hand lets go. */
function ReachGauge({
  repair,
  put,
}: {
  repair: Repair;
  put: (change: (one: Repair) => Repair) => (r: Recipe) => Recipe;
}) {
  const [held, setHeld] = useState<number | null>(null);
  const set = (reach: number) => {
    setHeld(null);
    saveAs(
      `${repair.id} reach`,
      put((one) => ({ ...one, reach, fill: "" })),
    );
  };
  return (
    <Gauge
      facts={REACH}
      value={held ?? repair.reach}
      neutral={100}
      onDraft={setHeld}
      onSet={set}
      onReset={() => set(100)}
      onCancel={() => setHeld(null)}
    />
  );
}
