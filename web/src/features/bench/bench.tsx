import { Maximize, PanelLeftClose, PanelLeftOpen, PanelRightClose, PanelRightOpen } from "lucide-react";
import { useCallback, useEffect } from "react";
import type { Frame } from "../../api/client";
import type { Step } from "../../api/generated/recipe";
import { FIT } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { newItemId } from "../../state/items";
import { complain } from "../../state/notices";
import { useFrames, useMarking } from "../../state/queries";
import { useRoom } from "../../state/room";
import { go } from "../../state/route";
import { Button, Hint } from "../../ui/controls";
import { TopBar } from "../../ui/top_bar";
import { isTyped } from "../../ui/typing";
import { next } from "../contact_sheet/selection";
import { JobsButton } from "../jobs/jobs_button";
import { FootBar } from "./foot_bar";
import { FrameStrip } from "./frame_strip";
import { useFraming } from "./framing/framing_state";
import { FramingTable } from "./framing/framing_table";
import { HistoryDrawer } from "./history_drawer";
import { Panel } from "./panel";
import { Picture } from "./picture";
import { Samplers } from "./samplers";
import { isTouched, STEP_NAMES, STEP_NUMBERS, STEPS, withControls } from "./steps/control";
import { nameFor } from "./steps/ink_keys";

/** One frame: step rail, controls with scope and wedge, picture, frame strip, foot. */
export function BenchPlace({ shoot, frame: id, step: asked }: { shoot: number; frame: number; step: string }) {
  const { data, error } = useFrames(shoot);
  const frames = data?.frames ?? [];
  const frame = frames.find((f) => f.id === id);
  const step: Step = STEPS.find((s) => s === asked) ?? "tone";
  const marking = useMarking(shoot);
  const room = useRoom();
  const version = frame?.version;

  useEffect(() => {
    if (version !== undefined) useBench.getState().open(id, version).catch(complain);
  }, [id, version]);

  const show = useCallback(
    (target: Frame | null) => target && go({ place: "bench", shoot, frame: target.id, step }, true),
    [shoot, step],
  );
  const setStep = useCallback(
    (s: Step) => {
      useBench.setState({
        tool: "hand",
        show: "picture",
        ...(s === "framing" ? { viewport: FIT, compare: "none" } : {}),
      });
      go({ place: "bench", shoot, frame: id, step: s }, true);
    },
    [shoot, id],
  );

  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (isTyped(e)) return;
      const s = useBench.getState();
      const key = e.key.toLowerCase();
      const ctrl = e.ctrlKey || e.metaKey;
      if (ctrl) {
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
        const target = STEPS.find((x) => STEP_NUMBERS[x] === Number(number));
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
        useBench.setState({ tool: "hand", show: "picture" });
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
  }, [frames, id, frame, marking, setStep, show, step]);

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
        >
          <Tools framing={step === "framing"} raw={frame?.raw ?? false} />
          <JobsButton />
          <Button ink onClick={() => go({ place: "deliver", shoot, frames: [id] })}>
            Deliver
          </Button>
        </TopBar>
      )}
      <div className="grid min-h-0 grow" style={{ gridTemplateColumns: columns(room) }}>
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
          <SplitWords />
          {frame && step !== "framing" && <Samplers frame={frame} />}
        </main>
        {!room.alone && room.strip && <FrameStrip frames={frames} current={id} onShow={show} />}
      </div>
      {!room.alone && <FootBar frame={frame} />}
    </div>
  );
}

/** Step rail, controls, picture and frame strip, as far as they are there. */
function columns({ alone, panel, strip }: { alone: boolean; panel: boolean; strip: boolean }): string {
  if (alone) return "minmax(0, 1fr)";
  return `60px ${panel ? "292px " : ""}minmax(0, 1fr)${strip ? " 112px" : ""}`;
}

/** Undo, history, comparison and zoom; what makes no sense on the whole plane of the framing step is switched off there. */
function Tools({ framing, raw }: { framing: boolean; raw: boolean }) {
  const mayUndo = useBench((s) => s.mayUndo);
  const mayRedo = useBench((s) => s.mayRedo);
  const compare = useBench((s) => s.compare);
  const zoom = useBench((s) => s.viewport.zoom);
  const warnings = useBench((s) => s.warnings);
  const { undo, redo } = useBench.getState();
  const hold = (on: boolean) => useBench.setState({ compare: on ? "original" : "none" });
  return (
    <>
      <Hint text="Ctrl+Z">
        <Button disabled={!mayUndo} onClick={undo}>
          Undo
        </Button>
      </Hint>
      <Hint text="Ctrl+Shift+Z">
        <Button disabled={!mayRedo} onClick={redo}>
          Redo
        </Button>
      </Hint>
      <HistoryDrawer raw={raw} />
      <span className="h-5 w-px bg-rule" />
      <Hint text="Hold to see the frame as it came in (O)">
        <Button
          pressed={compare === "original"}
          onPointerDown={() => hold(true)}
          onPointerUp={() => hold(false)}
          onPointerLeave={() => compare === "original" && hold(false)}
          onKeyDown={(e) => (e.key === " " || e.key === "Enter") && hold(true)}
          onKeyUp={() => hold(false)}
        >
          Original
        </Button>
      </Hint>
      <Hint text="Original and adjusted side by side (Shift+O)">
        <Button
          disabled={framing}
          pressed={!framing && compare === "split"}
          onClick={() => useBench.setState({ compare: compare === "split" ? "none" : "split" })}
        >
          Split
        </Button>
      </Hint>
      <Hint text="Original and adjusted beside each other (Shift+S)">
        <Button
          disabled={framing}
          pressed={!framing && compare === "side"}
          onClick={() => useBench.setState({ compare: compare === "side" ? "none" : "side" })}
        >
          Side by side
        </Button>
      </Hint>
      <Hint text="Hatching where the picture or the sensor is at its end (W)">
        <Button
          disabled={framing}
          pressed={!framing && warnings}
          onClick={() => useBench.setState({ warnings: !warnings })}
        >
          Warnings
        </Button>
      </Hint>
      <Button
        disabled={framing}
        pressed={!framing && zoom === "fit"}
        onClick={() => useBench.setState({ viewport: FIT })}
      >
        Fit
      </Button>
      <Hint text="One picture pixel on one screen pixel (F)">
        <Button
          disabled={framing}
          pressed={!framing && zoom === (window.devicePixelRatio || 1)}
          onClick={() =>
            useBench.setState((s) => ({ viewport: { ...s.viewport, zoom: window.devicePixelRatio || 1 } }))
          }
        >
          1:1
        </Button>
      </Hint>
    </>
  );
}

function StepRail({ step, frame, onStep }: { step: Step; frame: Frame | undefined; onStep: (s: Step) => void }) {
  const draft = useBench((s) => s.draft);
  return (
    <nav aria-label="Steps" className="flex flex-col border-r border-rule bg-zinc pt-1.5">
      {STEPS.map((s) => {
        const touched = draft && frame && isTouched(draft, s, frame.raw);
        const off = draft?.off.includes(s);
        return (
          <button
            key={s}
            type="button"
            aria-current={s === step ? "step" : undefined}
            aria-keyshortcuts={`Shift+${STEP_NUMBERS[s]}`}
            onClick={() => onStep(s)}
            className={`relative flex h-[62px] flex-col items-center justify-center ${s === step ? "bg-paper" : "hover:bg-[#dcdcdc]"}`}
          >
            {s === step && <span className="absolute bottom-2 left-0 top-2 w-1 bg-ink" />}
            {touched && <span className="absolute right-2 top-2 h-1.5 w-1.5 rounded-full bg-wax" title="adjusted" />}
            <span className={`font-slab text-[19px] font-semibold leading-5 ${off ? "text-ink3" : ""}`}>
              {STEP_NUMBERS[s]}
            </span>
            <span className={`text-xs ${off ? "text-ink2 line-through" : "text-ink2"}`}>{STEP_NAMES[s]}</span>
          </button>
        );
      })}
      <span className="grow" />
      <Folds />
    </nav>
  );
}

/** Folds the controls and the frame strip away, for more picture. */
function Folds() {
  const { panel, strip, fold, setAlone } = useRoom();
  const look = "flex h-8 w-full items-center justify-center text-ink2 hover:bg-[#dcdcdc] hover:text-ink";
  return (
    <div className="mb-1">
      <Hint text={panel ? "Fold the controls away" : "Controls"} side="right">
        <button
          type="button"
          aria-label="Controls in sight"
          aria-pressed={panel}
          className={look}
          onClick={() => fold("panel")}
        >
          {panel ? <PanelLeftClose size={17} aria-hidden /> : <PanelLeftOpen size={17} aria-hidden />}
        </button>
      </Hint>
      <Hint text={strip ? "Fold the frames away" : "Frames of the shoot"} side="right">
        <button
          type="button"
          aria-label="Frames in sight"
          aria-pressed={strip}
          className={look}
          onClick={() => fold("strip")}
        >
          {strip ? <PanelRightClose size={17} aria-hidden /> : <PanelRightOpen size={17} aria-hidden />}
        </button>
      </Hint>
      <Hint text="The picture alone (B)" side="right">
        <button
          type="button"
          aria-label="The picture alone"
          aria-keyshortcuts="B"
          className={look}
          onClick={() => setAlone(true)}
        >
          <Maximize size={16} aria-hidden />
        </button>
      </Hint>
    </div>
  );
}

function SplitWords() {
  const compare = useBench((s) => s.compare);
  const split = useBench((s) => s.split);
  if (compare === "none") return null;
  const words = "pointer-events-none absolute top-2 rounded-[2px] bg-ink/85 px-1.5 py-0.5 text-xs text-white";
  if (compare === "original")
    return (
      <span className={words} style={{ left: 8 }}>
        as it came in
      </span>
    );
  const line = compare === "side" ? 0.5 : split;
  return (
    <>
      <span className={words} style={{ right: `calc(${(1 - line) * 100}% + 8px)` }}>
        as it came in
      </span>
      <span className={words} style={{ left: `calc(${line * 100}% + 8px)` }}>
        adjusted
      </span>
    </>
  );
}
