import { useMemo, useState } from "react";
import type { Frame } from "../../api/client";
import { carry, rememberChoice, undoStep, useCarrying } from "../../state/carrying";
import { useChosen } from "../../state/selection";
import { Button, Choices } from "../../ui/controls";
import { SheetDialog } from "../../ui/sheet_dialog";
import { AdjustmentList } from "./adjustment_list";
import { type Ends, endsOfImage, endWords } from "./blown";
import { differenceWords, type FitRow, useComparison } from "./comparing";
import { type PassAreas, type PassJoining, PassWays, RepairWays } from "./pass_ways";
import { TargetCard, type Way } from "./target_card";
import { useAdjustments } from "./use_adjustments";

type Reach = "chosen" | "following" | "all";

interface Props {
  shoot: number;
  /** Of the shoot, in time. */
  frames: readonly Frame[];
  source: Frame | null;
  /** The version that is carried from, when it is not the source's cover. */
  version?: number | undefined;
  onClose: () => void;
}

/** The frame in hand if it is adjusted, else the one that was corrected last, else the first adjusted one of those chosen. */
function firstSource(frames: readonly Frame[], chosen: ReadonlySet<number>, source: Frame | null): Frame | null {
  if (source?.adjusted) return source;
  const adjusted = frames.filter((f) => f.adjusted && chosen.has(f.id));
  const last = useCarrying.getState().last?.frame;
  return adjusted.find((f) => f.id === last) ?? adjusted[0] ?? source;
}

const NO_ENDS = { before: new Map<number, Ends>(), after: new Map<number, Ends>() };
const EXPOSED = new Set(["exposure", "balance"]);

/** The transfer sheet: what is carried at the left, the frames it goes to at the right with what the fit check says of each. */
export function CarrySheet({ shoot, frames, source, version, onClose }: Props) {
  const chosen = useChosen(shoot);
  const [from, setFrom] = useState<number | null>(
    () => version ?? firstSource(frames, chosen, source)?.version ?? null,
  );
  const fromFrame = from === version ? source : frames.find((f) => f.version === from);
  const sources = useMemo(
    () => frames.filter((f) => f.adjusted || f.id === source?.id || f.version === from),
    [frames, source, from],
  );
  const { adjustments, taken, onTake } = useAdjustments(from);
  const [asChange, setAsChange] = useState(false);
  const [ways, setWays] = useState<ReadonlyMap<number, Way>>(new Map());
  const [done, setDone] = useState<{ bulk: number; changed: ReadonlySet<number> } | null>(null);
  const [ends, setEnds] = useState<{ before: ReadonlyMap<number, Ends>; after: ReadonlyMap<number, Ends> }>(NO_ENDS);
  const loaded = (f: Frame, image: HTMLImageElement) => {
    const found = endsOfImage(image);
    const which = done ? "after" : "before";
    if (found) setEnds((e) => ({ ...e, [which]: new Map([...e[which], [f.id, found]]) }));
  };
  const endsOf = (f: Frame) =>
    done?.changed.has(f.version) ? endWords(ends.before.get(f.id), ends.after.get(f.id)) : "";
  const others = useMemo(() => frames.filter((f) => f.id !== fromFrame?.id), [frames, fromFrame]);
  const picked = useMemo(() => others.filter((f) => chosen.has(f.id)), [others, chosen]);
  const following = useMemo(() => {
    const at = frames.findIndex((f) => f.id === fromFrame?.id);
    return at < 0 ? [] : frames.slice(at + 1);
  }, [frames, fromFrame]);
  const [areas, setAreas] = useState<PassAreas>("as_drawn");
  const [joining, setJoining] = useState<PassJoining>("add");
  const [reach, setReach] = useState<Reach>(picked.length ? "chosen" : "following");
  const reached = reach === "chosen" ? picked : reach === "following" ? following : others;
  const versions = useMemo(() => reached.map((f) => f.version), [reached]);
  const fit = useComparison<FitRow>("fit", from, versions);

  const row = (f: Frame) => fit.rows?.get(f.version);
  /** Dust lies on the sensor: where it is looked for on each frame, neither light nor subject matters. */
  const dustOnly = areas === "found_again" && taken.size === 1 && taken.has("repairs");
  const doubt = (f: Frame) => {
    const r = row(f);
    return fit.refused.get(f.version) ?? (r && !r.fits && !dustOnly ? r.reasons.join("; ") : "");
  };
  const relative = [...EXPOSED].filter((id) => taken.has(id));
  /** What cannot be compared is left out until it is decided otherwise; what jumps gets its own correction where it can. */
  const wayOf = (f: Frame): Way => {
    const decided = ways.get(f.id);
    if (decided) return decided;
    return doubt(f) ? "leave" : "carry";
  };
  const going = reached.filter((f) => wayOf(f) !== "leave");
  const odd = fit.rows ? reached.filter((f) => doubt(f)) : [];
  const doubtful = (f: Frame) => (endsOf(f) ? 2 : doubt(f) ? 1 : 0);
  const shown = done ? [...reached].sort((a, b) => doubtful(b) - doubtful(a)) : reached;

  /** What makes it look like the source: its exposure and balance, whatever else is carried. */
  const own = (f: Frame) => row(f)?.own ?? {};
  const run = async () => {
    if (from === null) return;
    rememberChoice(Object.fromEntries(adjustments.filter((a) => a.touched).map((a) => [a.id, taken.has(a.id)])));
    const answer = await carry({
      source: from,
      operations: [...taken],
      as_change: asChange ? relative : [],
      ...(taken.has("passes") || taken.has("repairs") ? { areas, joining } : {}),
      targets: going.map((f) => ({ version: f.version, values: wayOf(f) === "own" ? own(f) : {} })),
    });
    if (answer?.bulk) setDone({ bulk: answer.bulk, changed: new Set(answer.changed) });
  };

  const about = done
    ? `${done.changed.size} frames changed. The doubtful ones come first.`
    : dustOnly
      ? "Every frame is looked at for its own dust, whatever its light and subject."
      : fit.rows
        ? `${odd.length ? `${odd.length} of ${reached.length} do not fit` : `All ${reached.length} fit`}.`
        : fit.failed || (reached.length ? `Comparing the light: ${Math.round(fit.progress * 100)} %` : "");
  const nothing = adjustments.length > 0 && !adjustments.some((a) => a.touched);
  return (
    <SheetDialog
      title={version === undefined ? "Carry" : `Carry from ${(fromFrame?.name ?? "").replace(/\.[^.]+$/, "")}`}
      about={<span role="status">{about}</span>}
      onClose={onClose}
      foot={
        done ? (
          <>
            <span className="grow" />
            <Button
              onClick={() => {
                void undoStep(done.bulk);
                setDone(null);
              }}
            >
              Take it back
            </Button>
            <Button ink onClick={onClose}>
              Done
            </Button>
          </>
        ) : (
          <>
            <label
              className="flex items-center gap-2"
              title="Exposure changes by as many stops, temperature by as many mired as here"
            >
              <input
                type="checkbox"
                checked={asChange}
                disabled={!relative.length}
                onChange={(e) => setAsChange(e.currentTarget.checked)}
              />
              exposure and balance as a change
            </label>
            <span className="grow" />
            <Button onClick={onClose}>Cancel</Button>
            <Button ink disabled={!going.length || !taken.size} onClick={() => void run()}>
              Carry to {going.length} frame{going.length === 1 ? "" : "s"}
            </Button>
          </>
        )
      }
    >
      <div className="grid min-h-0 grow grid-cols-[290px_1fr]">
        <div className="scroll-plain border-r border-rule px-5 py-3">
          {version === undefined && !done && (
            <label className="mb-3 flex items-center gap-2">
              from
              <select
                value={from ?? 0}
                onChange={(e) => setFrom(Number(e.currentTarget.value))}
                className="h-7 min-w-0 grow border border-rule bg-white px-1 font-semibold"
              >
                {sources.map((f) => (
                  <option key={f.id} value={f.version}>
                    {f.name}
                  </option>
                ))}
              </select>
            </label>
          )}
          {nothing && (
            <p className="mb-3 text-ink2">
              Nothing is adjusted on this frame yet. Whatever you take along is reset there.
            </p>
          )}
          <AdjustmentList {...{ adjustments, taken, onTake }} />
          {taken.has("passes") && <PassWays {...{ areas, joining, onAreas: setAreas, onJoining: setJoining }} />}
          {taken.has("repairs") && (
            <RepairWays
              alone={!taken.has("passes")}
              {...{ areas, joining, onAreas: setAreas, onJoining: setJoining }}
            />
          )}
        </div>
        <div className="flex min-h-0 flex-col">
          <div className="flex items-center gap-4 border-b border-rule px-4 py-2">
            <span className="text-ink2">to</span>
            <Choices
              label="Which frames"
              value={reach}
              onChange={setReach}
              options={[
                ["chosen", `the selected ${picked.length}`],
                ["following", `the ${following.length} that follow`],
                ["all", `all ${others.length} others`],
              ]}
            />
            <span className="grow" />
            {odd.length > 0 && !done && (
              <Button
                onClick={() =>
                  setWays(
                    new Map([
                      ...ways,
                      ...odd.filter((f) => row(f)?.measured).map((f) => [f.id, "own"] as [number, Way]),
                    ]),
                  )
                }
              >
                Correct those that differ
              </Button>
            )}
            {!done && fit.rows && !dustOnly && (
              <Button
                onClick={() =>
                  setWays(new Map(reached.filter((f) => row(f)?.measured).map((f) => [f.id, "own"] as [number, Way])))
                }
              >
                Correct each
              </Button>
            )}
          </div>
          <ul
            tabIndex={0}
            aria-label="Frames that adjustments go to"
            className="scroll-plain flex min-h-0 grow flex-wrap content-start gap-2.5 px-4 py-3"
          >
            {shown.map((f) => (
              <TargetCard
                key={f.id}
                frame={f}
                words={row(f) ? (row(f)?.measured ? differenceWords(row(f) as FitRow) : "another subject") : ""}
                doubt={doubt(f)}
                way={wayOf(f)}
                mayOwn={Boolean(row(f)?.measured)}
                ends={endsOf(f)}
                onLoaded={(image) => loaded(f, image)}
                onWay={(way) => setWays(new Map([...ways, [f.id, way]]))}
              />
            ))}
            {!reached.length && (
              <li className="m-4 text-ink2">There is no frame here. Choose which frames it goes to.</li>
            )}
          </ul>
        </div>
      </div>
    </SheetDialog>
  );
}
