import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, type Frame, need } from "../../api/client";
import { MERGE_PLAIN } from "../../api/generated/recipe";
import { isActive, useJobs } from "../../state/jobs";
import { startedMaking, useMaking } from "../../state/making";
import { complain } from "../../state/notices";
import { once } from "../../state/once";
import { useFrames } from "../../state/queries";
import { go, MERGE_KINDS, type MergeKind } from "../../state/route";
import { Button } from "../../ui/controls";
import { unparted } from "../../ui/number";
import { TopBar } from "../../ui/top_bar";
import { isTyped } from "../../ui/typing";
import { UndoButtons } from "../../ui/undo_buttons";
import { useKeys } from "../../ui/use_keys";
import { JobsButton } from "../jobs/jobs_button";
import { BracketRows } from "./bracket_options";
import { type Draft, draftKey, useDraft } from "./draft";
import { type Brush, FocusRows } from "./focus_options";
import { FrameRows } from "./frame_rows";
import { called, type Options, switched, useJudgement } from "./judgement";
import { MergePicture } from "./merge_picture";
import { ChoiceRow } from "./option_rows";
import { PanoramaRows } from "./panorama_options";
import { SeriesRows } from "./series_options";
import { stem } from "./stem";

const NAMES: Record<MergeKind, string> = {
  bracket: "bracket",
  panorama: "panorama",
  focus: "focus series",
  series: "noise or star series",
};
const DRAWN: Record<MergeKind, string> = {
  bracket: "What moved",
  panorama: "Seams",
  focus: "Depth map",
  series: "Land",
};

/** How a master starts where nothing was chosen. */
const LOOK: Record<MergeKind, string> = {
  bracket: "Range, natural",
  panorama: "plain",
  focus: "plain",
  series: "plain",
};

const BEFORE: Record<MergeKind, string> = {
  bracket: "Everything added up, with what moved",
  panorama: "Frames laid over each other in the light in which they were taken",
  focus: "The reference alone",
  series: "The mean of all, with trails and glints",
};

/** Degrees between -180 and 180, in tenths. */
const turned = (degrees: number): number => Math.round((((degrees + 540) % 360) - 180) * 10) / 10;

/** Frames that are to become one picture: which, do they lie on each other, what moved; then the master. */
export function MergeTable({
  shoot,
  frames: ids,
  as,
  again,
}: {
  shoot: number;
  frames: number[];
  as: MergeKind;
  again?: number | undefined;
}) {
  const { data, error } = useFrames(shoot);
  const frames = useMemo(
    () => ids.map((id) => data?.frames.find((f) => f.id === id)).filter((f): f is Frame => f !== undefined),
    [ids, data],
  );
  const [start, setStart] = useState<Draft | null>(again ? null : { options: MERGE_PLAIN[as], look: LOOK[as] });
  const [whole, setWhole] = useState(true);
  const [outlined, setOutlined] = useState(as !== "focus");
  const [pointed, setPointed] = useState(false);
  const [before, setBefore] = useState(false);
  const [brush, setBrush] = useState<Brush>({ frame: null, radius: 0.02 });
  const [region, setRegion] = useState<number | null>(null);
  const looks = useQuery({ queryKey: ["looks"], queryFn: () => need(api.GET("/api/merges/looks")) });
  const [stale, setStale] = useState<string[]>([]);
  useEffect(() => {
    if (!again) return;
    // a master that is made again begins with what it was made with; frames that are gone are counted no more
    need(api.GET("/api/frames/{id}/made", { params: { path: { id: again } } }))
      .then((made) => {
        // an older master knows less to be told
        const kept = made.sources.every((s) => s.frame !== null) ? made.options : {};
        setStart({ options: { ...MERGE_PLAIN[as], ...kept } as Options, look: LOOK[as] });
        setStale(made.stale);
      })
      .catch((e: unknown) => {
        complain(e);
        setStart({ options: MERGE_PLAIN[as], look: LOOK[as] });
      });
  }, [again, as]);
  const key = draftKey(frames, as, again);
  const { draft, set: setDraft, undo, redo } = useDraft(data ? key : null, start);
  const used = draft?.options ?? MERGE_PLAIN[as];
  const look = draft?.look ?? LOOK[as];
  const there = draft ? frames.map((f) => f.id) : [];
  const { judged, progress, note, failed, busy } = useJudgement(there, used);
  const making = useMaking((s) => s[key]?.job);
  const job = useJobs((s) => s.jobs.find((j) => j.id === making));
  const running = making !== undefined && (!job || isActive(job));

  const make = async () => {
    const body = { frames: there, options: used, look, replaces: again ?? null };
    try {
      const started = await once(["merge", body], (request_key) =>
        need(api.POST("/api/merges", { body: { ...body, request_key } })),
      );
      startedMaking(key, { job: started.id, shoot });
    } catch (e) {
      complain(e);
    }
  };
  const onKey = (e: KeyboardEvent) => {
    if (isTyped(e) || e.altKey) return;
    if (e.ctrlKey || e.metaKey) {
      if (e.key.toLowerCase() !== "z") return;
      if (e.shiftKey) redo?.();
      else undo?.();
    } else if (e.key === "Escape") go({ place: "sheet", shoot });
    else if (e.key.toLowerCase() === "f") setWhole(!whole);
    else if (e.key.toLowerCase() === "o") setBefore(!before);
    else return;
    e.preventDefault();
  };
  useKeys(onKey);

  const set = (change: Partial<Options>) => setDraft({ options: { ...used, ...change } as Options });
  const few = data && draft && frames.length < 2 ? "A merge is made of two frames or more." : "";
  const flat = judged?.projection === "flat" || judged?.projection === "straightened";
  const drawn = Boolean(judged?.regions?.length || judged?.seams.length || judged?.depth);
  const taking = judged?.frames.filter((f) => f.takes_part).length;
  return (
    <div className="flex h-full flex-col">
      <TopBar
        crumbs={[
          [data?.name ?? "", { place: "sheet", shoot }],
          [`Merge, ${NAMES[as]} ${stem(frames[0])} to ${stem(frames.at(-1))}`, null],
        ]}
      >
        <UndoButtons undo={undo} redo={redo} />
        <Button pressed={outlined} disabled={!drawn} onClick={() => setOutlined(!outlined)}>
          {DRAWN[as]}
        </Button>
        {as === "panorama" && (
          <Button pressed={pointed} disabled={!judged?.points.length} onClick={() => setPointed(!pointed)}>
            Shared places
          </Button>
        )}
        <Button
          pressed={before && Boolean(judged?.before)}
          disabled={!judged?.before}
          title={`${BEFORE[as]} (O)`}
          onClick={() => setBefore(!before)}
        >
          Before
        </Button>
        <Button pressed={!whole} onClick={() => setWhole(!whole)}>
          Larger
        </Button>
        <JobsButton />
        <Button onClick={() => go({ place: "sheet", shoot })}>To the sheet</Button>
      </TopBar>
      {error && <p role="alert">{error.message}</p>}
      <div className="grid min-h-0 grow grid-cols-[312px_minmax(0,1fr)]">
        <section aria-label="What is merged" className="flex min-h-0 flex-col border-r border-rule bg-paper">
          <div className="flex items-baseline px-3.5 pb-1.5 pt-3">
            <h2 tabIndex={-1} data-place-start className="grow font-slab text-[19px] font-semibold !outline-none">
              Frames
            </h2>
            <span className="text-sm text-ink2">
              {taking === undefined ? `${frames.length}` : `${taking} of ${frames.length} take part`}
            </span>
          </div>
          <div className="scroll-plain min-h-0 grow">
            <FrameRows
              frames={frames}
              options={used}
              settled={!busy && !failed}
              report={judged}
              onSwitch={(i, on) => setDraft({ options: switched(used, i, on) })}
              onRole={used.kind === "series" ? (i, role) => set({ roles: called(used.roles ?? {}, i, role) }) : null}
            />
          </div>
          <div className="scroll-plain flex max-h-[60%] min-h-0 shrink-0 flex-col gap-2 border-t border-ink py-3">
            {!again && (
              <ChoiceRow
                label="merged as"
                value={as}
                onChoose={(kind) => go({ place: "merge", shoot, frames: ids, as: kind })}
              >
                {MERGE_KINDS.map((kind) => (
                  <option key={kind} value={kind}>
                    {NAMES[kind]}
                  </option>
                ))}
              </ChoiceRow>
            )}
            {used.kind === "bracket" && (
              <BracketRows {...{ options: used, frames, judged, set }} onRegion={setRegion} />
            )}
            {used.kind === "focus" && <FocusRows {...{ options: used, frames, judged, brush, setBrush, set }} />}
            {used.kind === "series" && <SeriesRows {...{ options: used, frames, judged, set }} />}
            {used.kind === "panorama" && <PanoramaRows {...{ options: used, judged, set }} />}
            <ChoiceRow label="starts as" value={look} onChoose={(name) => setDraft({ look: name })}>
              {looks.data?.looks.map((name) => (
                <option key={name} value={name}>
                  {name}
                </option>
              ))}
            </ChoiceRow>
          </div>
        </section>
        <div className="flex min-h-0 min-w-0 flex-col">
          <main aria-label="The merge" className="relative min-h-0 grow bg-surround">
            {judged && (
              <MergePicture
                {...{ judged, whole, outlined, pointed, before, region }}
                onTurn={
                  used.kind === "panorama"
                    ? (right, down) =>
                        set({
                          // round a cylinder or a sphere every direction looks the same
                          yaw_degrees: flat ? turned((used.yaw_degrees ?? 0) - right) : (used.yaw_degrees ?? 0),
                          pitch_degrees: turned(Math.max(Math.min((used.pitch_degrees ?? 0) + down, 90), -90)),
                        })
                    : null
                }
                brush={used.kind === "focus" && brush.frame !== null ? brush.radius : null}
                onStroke={(points) => {
                  if (used.kind !== "focus" || brush.frame === null) return;
                  set({ touches: [...(used.touches ?? []), { frame: brush.frame, radius: brush.radius, points }] });
                }}
                onRegion={(number) => document.getElementById(`region-${number}`)?.focus()}
              />
            )}
            <p role="status" className="absolute bottom-0 left-0 bg-ink px-3 py-1 text-sm text-white empty:hidden">
              {busy && frames.length > 1 ? `${note || "waiting"}: ${Math.round(progress * 100)} %` : ""}
            </p>
          </main>
          <footer className="grid shrink-0 grid-cols-[1fr_1fr_auto] gap-6 border-t border-ink bg-sheet px-5 py-3">
            <section aria-label="What is done">
              <h2 className="font-slab text-base font-semibold">What is done</h2>
              <p className="text-sm text-ink2">{judged && unparted(judged.done.join(" "))}</p>
            </section>
            <section aria-label="Left out">
              <h2 className="font-slab text-base font-semibold">Left out</h2>
              {failed || few ? (
                <p role="alert" className="border-l-4 border-wax pl-2 text-sm font-medium">
                  {failed || few}
                </p>
              ) : (
                <p className="text-sm text-ink2">{judged ? unparted(judged.left_out.join(" ")) || "No frame." : ""}</p>
              )}
              {stale.length > 0 && <p className="mt-1 text-sm font-medium text-wax">{stale.join(" ")}</p>}
            </section>
            <div className="flex flex-col items-end justify-end gap-2">
              {running && job && (
                <span className="text-sm text-ink2">
                  {Math.round(job.progress * 100)} %, {job.note}
                </span>
              )}
              <Button ink disabled={!judged || busy || running || Boolean(failed)} onClick={() => void make()}>
                {again ? "Make it again" : "Make master"}
              </Button>
            </div>
          </footer>
        </div>
      </div>
    </div>
  );
}
