import { useEffect, useRef, useState } from "react";
import { useBench } from "../../../state/bench";
import { KIND_WORDS, MOST_REPAIRS, type RepairKind, repairsOf, useRepairs } from "../../../state/repairs";
import { Button, Hint } from "../../../ui/controls";
import { fillBeyond, findDust } from "../repair/actions";
import { DustWalk } from "../repair/dust_walk";
import { RepairRow } from "../repair/repair_row";
import { useTinyPairs } from "../repair/tiny_pairs";
import { ToolSettings } from "../repair/tool_settings";
import { useRepairKeys } from "../repair/use_repair_keys";
import type { StepProps } from "./control";

const TOOLS: [RepairKind, string][] = [
  ["spot", "Dust, hairs, small blemishes: one press"],
  ["removal", "Cables, carts, people: paint over, filled from around"],
  ["heal", "Paint another place's texture in this place's light"],
  ["clone", "Paint another place as it is"],
  ["patch", "Draw round it, drag to where it comes from"],
  ["cover", "Paint a picked colour: scans and plain backdrops"],
];
const percent = (share: number) => `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;
/** Rows whose small pictures are asked for at once. */
const PICTURED = 24;

/** The mending list: tools, what was mended in order, and the search for dust. */
export function RepairStep({ frame, recipe }: StepProps) {
  const repairs = repairsOf(recipe);
  const tool = useRepairs((s) => s.tool);
  const open = useRepairs((s) => s.open);
  const walk = useRepairs((s) => s.walk);
  const show = useBench((s) => s.show);
  const [busy, setBusy] = useState(false);
  const [lightToo, setLightToo] = useState(false);
  const { setTool } = useRepairs.getState();
  useRepairKeys(frame);
  // the tool stays in the hand from frame to frame; what belongs to one frame does not
  useEffect(() => useRepairs.setState({ open: null, anchor: null, walk: null, drawing: null }), []);
  const full = repairs.length >= MOST_REPAIRS;
  const shown = repairs.filter((r, i) => r.id === open || i >= repairs.length - PICTURED).map((r) => r.id);
  const pairs = useTinyPairs(frame.id, recipe, shown);
  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    if (open) list.current?.querySelector(`[data-repair="${open}"]`)?.scrollIntoView({ block: "nearest" });
  }, [open]);
  const dust = () => {
    if (busy) return;
    setBusy(true);
    void findDust(frame, lightToo).finally(() => setBusy(false));
  };
  const beyond = () => {
    if (busy) return;
    setBusy(true);
    void fillBeyond(frame).finally(() => setBusy(false));
  };
  const bare = useBench((s) => (s.header && s.header.bare >= 0.0005 ? percent(s.header.bare) : null));
  return (
    <>
      <fieldset aria-label="Tools of repair" className="grid grid-cols-3 gap-1 px-3.5 pb-2">
        {TOOLS.map(([kind, help]) => (
          <Hint key={kind} text={help}>
            <Button
              className="justify-center !px-1"
              pressed={tool === kind}
              disabled={full}
              onClick={() => setTool(tool === kind ? "none" : kind)}
            >
              {KIND_WORDS[kind]}
            </Button>
          </Hint>
        ))}
      </fieldset>
      <ToolSettings />
      <div className="flex flex-wrap items-center gap-x-1.5 gap-y-1 border-t border-rule px-3.5 py-1.5">
        <Button onClick={dust} disabled={busy}>
          {busy ? "Looking for dust" : "Find all dust"}
        </Button>
        <label className="flex items-center gap-1 text-xs" title="Light spots as well: dust on slides and scans">
          <input type="checkbox" checked={lightToo} onChange={(e) => setLightToo(e.currentTarget.checked)} />
          light too
        </label>
        <span className="grow" />
        <Hint text="Small differences raised, as against a lamp (A)">
          <Button
            quiet
            className="!px-1.5"
            pressed={show === "dust"}
            aria-keyshortcuts="A"
            onClick={() => useBench.setState({ show: show === "dust" ? "picture" : "dust" })}
          >
            Dust light
          </Button>
        </Hint>
      </div>
      {bare && (
        <div className="flex flex-wrap items-center gap-x-2 gap-y-1 border-t border-rule px-3.5 py-1.5 text-xs text-ink2">
          <span className="min-w-0 grow">{bare} of the picture lies beyond the frame.</span>
          <Hint text="Goes on with what stands beside it, as removals that can be filled another way">
            <Button onClick={beyond} disabled={busy || full}>
              Fill it
            </Button>
          </Hint>
        </div>
      )}
      {walk?.frame === frame.id && <DustWalk />}
      {repairs.length === 0 && !walk && tool === "none" && (
        <p className="border-t border-rule px-3.5 pt-2.5 text-sm text-ink2">
          Repairs lie on the frame itself, below everything else: they stay where they are whatever framing, balance or
          tone become, and each can be moved, weakened or switched off at any time.
        </p>
      )}
      <ol ref={list} aria-label="Repairs, in the order in which they are done" className="border-b border-rule">
        {repairs.map((repair, i) => (
          <RepairRow
            key={repair.id}
            frame={frame}
            repair={repair}
            number={i + 1}
            opened={repair.id === open}
            pair={pairs.get(repair.id)}
          />
        ))}
      </ol>
    </>
  );
}
