import { useCallback, useEffect, useLayoutEffect, useState } from "react";
import type { Frame } from "../../api/client";
import { STEPS, type Step } from "../../api/generated/recipe";
import { FIT } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { pasteOn, takeFrom, useCarrying } from "../../state/carrying";
import { newItemId } from "../../state/items";
import { complain, useNotices } from "../../state/notices";
import { usePasses } from "../../state/passes";
import { useFrames, useMarking } from "../../state/queries";
import { putDown } from "../../state/repairs";
import { useRoom } from "../../state/room";
import { go } from "../../state/route";
import { onSaved } from "../../state/savers";
import { chosenOf } from "../../state/selection";
import { useTogether } from "../../state/together";
import { Button } from "../../ui/controls";
import { toPlace } from "../../ui/focus";
import { TopBar } from "../../ui/top_bar";
import { isTyped } from "../../ui/typing";
import { CarrySheet } from "../carry/carry_sheet";
import { next } from "../contact_sheet/selection";
import { JobsButton } from "../jobs/jobs_button";
import { FootBar } from "./foot_bar";
import { FrameStrip } from "./frame_strip";
import { useFraming } from "./framing/framing_state";
import { FramingTable } from "./framing/framing_table";
import { Panel } from "./panel";
import { OverAreas } from "./passes/over_areas";
import { Picture } from "./picture";
import { PresetsDrawer } from "./presets_drawer";
import { OverRepairs } from "./repair/over_repairs";
import { Fills } from "./repair/use_fills";
import { Samplers } from "./samplers";
import { StepRail } from "./step_rail";
import { stepNumber, withControls } from "./steps/control";
import { nameFor } from "./steps/ink_keys";
import { TogetherBar } from "./together_bar";
import { Tools } from "./tools_bar";
import { VersionsDrawer } from "./versions_drawer";

const NOBODY: ReadonlyMap<number, number> = new Map();

interface Props {
  shoot: number;
  frame: number;
  step: string;
  /** Another version than the frame's cover. */
  version?: number | undefined;
}

/** One frame: step rail, controls with scope and wedge, picture, frame strip, foot. */
export function BenchPlace({ shoot, frame: id, step: asked, version: chosenVersion }: Props) {
  const { data, error } = useFrames(shoot);
  const frames = data?.frames ?? [];
  const frame = frames.find((f) => f.id === id);
  const step: Step = STEPS.find((s) => s === asked) ?? "tone";
  const marking = useMarking(shoot);
  const room = useRoom();
  const version = chosenVersion ?? frame?.version;
  const [carrying, setCarrying] = useState(false);
  const together = useTogether((s) => (s.shoot === shoot ? s.members : NOBODY));

  // who edits together leaves it by leaving the frames that are tied
  useEffect(() => {
    const { shoot: of, members, end } = useTogether.getState();
    if (members.size && (of !== shoot || !members.has(id))) end();
  }, [shoot, id]);
  useEffect(() => () => useTogether.getState().end(), []);
  // "same as last" takes from the frame that was corrected last
  useEffect(
    () =>
      onSaved((saved) => {
        const of = frames.find((f) => f.id === saved.frame);
        if (of && saved.adjusted) useCarrying.setState({ last: { frame: of.id, version: saved.id, name: of.name } });
      }),
    [frames],
  );

  useEffect(() => {
    if (version !== undefined) useBench.getState().open(id, version).catch(complain);
  }, [id, version]);

  // what is folded away may have had the keyboard: the picture takes it in the same breath, so that no key goes nowhere
  const alone = room.alone;
  useLayoutEffect(() => {
    if (alone && (document.activeElement ?? document.body) === document.body) toPlace();
  }, [alone]);

  const show = useCallback(
    (target: Frame | null) => target && go({ place: "bench", shoot, frame: target.id, step }, true),
    [shoot, step],
  );
  const setStep = useCallback(
    (s: Step) => {
      putDown();
      useBench.setState({
        tool: "hand",
        show: "picture",
        ...(s === "framing" ? { viewport: FIT, compare: "none" } : {}),
      });
      go({ place: "bench", shoot, frame: id, step: s, version: chosenVersion }, true);
    },
    [shoot, id, chosenVersion],
  );
  const openVersion = useCallback(
    (v: number) => go({ place: "bench", shoot, frame: id, step, version: v === frame?.version ? undefined : v }, true),
    [shoot, id, step, frame?.version],
  );

  const editTogether = () => {
    if (together.size) {
      useTogether.getState().end();
      return;
    }
    const chosen = chosenOf(shoot);
    const members = frames.filter((f) => f.id === id || chosen.has(f.id));
    if (members.length < 2) {
      useNotices
        .getState()
        .say("Choose the frames first: in the strip with Ctrl or Shift held, or on the contact sheet.");
      return;
    }
    useTogether.getState().begin(
      shoot,
      members.map((f) => [f.id, f.id === id && version !== undefined ? version : f.version]),
    );
  };

  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (isTyped(e)) return;
      const s = useBench.getState();
      const key = e.key.toLowerCase();
      const ctrl = e.ctrlKey || e.metaKey;
      if (ctrl) {
        if (key === "c" && version !== undefined && !selectedText()) {
          useCarrying.setState({ copied: { version, name: frame?.name ?? "" } });
          useNotices.getState().say(`Adjustments of ${frame?.name} copied. Ctrl+V puts them on another frame.`);
        } else if (key === "v" && version !== undefined) void pasteOn([version]);
        if (key !== "z") return;
        if (e.shiftKey) s.redo();
        else s.undo();
        e.preventDefault();
        return;
      }
      if (e.altKey) return;
      const marks = { k: "keep", m: "maybe", d: "drop" } as const;
      const number = /^Digit([1-8])$/.exec(e.code)?.[1];
      if (e.shiftKey && number) {
        const target = STEPS.find((x) => stepNumber(x) === Number(number));
        if (target) setStep(target);
      } else if (step === "framing" && (/^[fzpgw]$/.test(key) || (e.shiftKey && /^[so]$/.test(key)))) return;
      else if (e.shiftKey && key === "s") useBench.setState({ compare: s.compare === "side" ? "none" : "side" });
      else if (e.shiftKey && key === "o") useBench.setState({ compare: s.compare === "split" ? "none" : "split" });
      else if (key === "o") {
        if (!e.repeat && s.compare === "none") useBench.setState({ compare: "original" });
      } else if (key === "f")
        useBench.setState({
          viewport: s.viewport.zoom === "fit" ? { ...FIT, zoom: window.devicePixelRatio || 1 } : FIT,
        });
      else if (key === "l" && version !== undefined) void takeFrom(useCarrying.getState().last, [version]);
      else if (key === "t") editTogether();
      else if (key === "b") useRoom.getState().setAlone(!useRoom.getState().alone);
      else if (key === "z") useBench.setState({ magnifier: !s.magnifier });
      else if (key === "p") {
        if (s.header) {
          // without a pointer over the picture in its middle; from there the place is moved by arrow keys
          const { full_width: width, full_height: height } = s.header;
          s.pin(s.hover ?? { x: width / 2, y: height / 2 }, { width, height });
        }
      } else if (key === "g") useBench.setState({ gamut: !s.gamut });
      else if (key === "w") useBench.setState({ warnings: !s.warnings });
      else if (key === "escape") {
        useRoom.getState().setAlone(false);
        useTogether.getState().end();
        useBench.setState({ tool: "hand", show: "picture" });
        usePasses.setState({ tool: "none", term: null });
        putDown();
        useFraming.setState({ tool: "crop", points: [] });
      } else if (key === "arrowright") show(next(frames, id, 1));
      else if (key === "arrowleft") show(next(frames, id, -1));
      else if (/^[0-5]$/.test(key)) marking.mutate({ frames: [id], stars: Number(key) });
      else if (key in marks) {
        const mark = marks[key as keyof typeof marks];
        marking.mutate({ frames: [id], mark: frame?.mark === mark ? "" : mark });
      } else return;
      e.preventDefault();
    };
    const up = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() === "o" && useBench.getState().compare === "original")
        useBench.setState({ compare: "none" });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  });

  if (error)
    return (
      <p role="alert" className="p-6">
        {error.message}
      </p>
    );
  if (data && !frame)
    return (
      <p role="alert" className="p-6">
        This frame is not in the shoot any more.{" "}
        <button type="button" className="underline" onClick={() => go({ place: "sheet", shoot })}>
          To the contact sheet
        </button>
      </p>
    );
  return (
    <div className="flex h-full flex-col">
      {!room.alone && (
        <TopBar
          crumbs={[
            [data?.name ?? "", { place: "sheet", shoot }],
            [frame?.name.replace(/\.[^.]+$/, "") ?? "", null],
          ]}
          after={
            frame && version !== undefined && <VersionsDrawer frame={frame} version={version} onOpen={openVersion} />
          }
        >
          <Tools framing={step === "framing"} raw={frame?.raw ?? false} />
          {frame && version !== undefined && <PresetsDrawer frame={frame} version={version} />}
          <Button disabled={!frame} onClick={() => setCarrying(true)}>
            Carry
          </Button>
          <JobsButton />
          <Button ink onClick={() => go({ place: "deliver", shoot, frames: [id], version })}>
            Deliver
          </Button>
        </TopBar>
      )}
      <TogetherBar shoot={shoot} />
      <div className="grid min-h-0 grow grid-rows-[minmax(0,1fr)]" style={{ gridTemplateColumns: columns(room) }}>
        {!room.alone && <StepRail step={step} frame={frame} onStep={setStep} />}
        {!room.alone && room.panel && (frame ? <Panel frame={frame} step={step} /> : <div className="bg-paper" />)}
        <main
          className="relative min-w-0 bg-surround outline-offset-[-3px]"
          aria-label="Picture"
          tabIndex={-1}
          data-place-start
        >
          {frame && step === "framing" && <FramingTable frame={frame} />}
          {frame && step !== "framing" && (
            <Picture
              frame={frame}
              onNeutral={(save, kelvin, tint) =>
                save((r) => withControls(r, "balance", { temperature_kelvin: kelvin, tint }))
              }
              onKey={(save, centre) =>
                save((r) => {
                  const keys = r.colour.own_keys;
                  const taken = keys.map((k) => k.name);
                  const name = nameFor(centre.centre_a, centre.centre_b, taken);
                  const fresh = {
                    id: newItemId(),
                    name,
                    ...centre,
                    reach: 30,
                    hue: 0,
                    saturation: 0,
                    lightness: 0,
                    grey: 0,
                  };
                  if (useBench.getState().frame === id) useBench.setState({ ownKey: fresh.id });
                  return withControls(r, "colour", { own_keys: [...keys, fresh] });
                })
              }
            />
          )}
          {frame && step === "repair" && <OverRepairs key={frame.id} frame={frame} />}
          {frame && step === "passes" && <OverAreas key={frame.id} frame={frame} />}
          <SplitWords />
          {frame && step !== "framing" && <Samplers frame={frame} />}
        </main>
        {!room.alone && room.strip && (
          <FrameStrip shoot={shoot} frames={frames} current={id} tied={together} onShow={show} />
        )}
      </div>
      {frame && <Fills key={frame.id} frame={frame.id} />}
      {!room.alone && <FootBar frame={frame} />}
      {carrying && (
        <CarrySheet
          shoot={shoot}
          frames={frames}
          source={frame ?? null}
          version={version}
          onClose={() => setCarrying(false)}
        />
      )}
    </div>
  );
}

/** Text that somebody has selected to copy it; a number that a control has selected by itself is none. */
const selectedText = (): string =>
  document.activeElement instanceof HTMLInputElement ? "" : (window.getSelection()?.toString() ?? "");

/** Step rail, controls, picture and frame strip, as far as they are there. */
function columns({ alone, panel, strip }: { alone: boolean; panel: boolean; strip: boolean }): string {
  if (alone) return "minmax(0, 1fr)";
  return `60px ${panel ? "292px " : ""}minmax(0, 1fr)${strip ? " 112px" : ""}`;
}

function SplitWords() {
  const compare = useBench((s) => s.compare);
  const split = useBench((s) => s.split);
  const against = useBench((s) => s.against);
  const here = useBench((s) => s.version?.name);
  if (compare === "none") return null;
  const words = "pointer-events-none absolute top-2 rounded-[2px] bg-ink/85 px-1.5 py-0.5 text-xs text-white";
  const other = against?.name ?? "as it came in";
  if (compare === "original")
    return (
      <span className={words} style={{ left: 8 }}>
        {other}
      </span>
    );
  const line = compare === "side" ? 0.5 : split;
  return (
    <>
      <span className={words} style={{ right: `calc(${(1 - line) * 100}% + 8px)` }}>
        {other}
      </span>
      <span className={words} style={{ left: `calc(${line * 100}% + 8px)` }}>
        {against ? here || "this version" : "adjusted"}
      </span>
      {against && (
        <p className="absolute bottom-2 left-1/2 max-w-[80%] -translate-x-1/2 rounded-[2px] bg-ink/85 px-2 py-1 text-center text-xs text-white">
          {against.words.length ? `This version: ${against.words.join("; ")}` : "Both versions are the same."}
        </p>
      )}
    </>
  );
}
