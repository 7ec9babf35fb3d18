import { useEffect, useMemo, useState } from "react";
import { api, type Frame, type Mark, need } from "../../api/client";
import type { components } from "../../api/generated/api";
import { FIT, type Viewport } from "../../canvas/viewport";
import { complain } from "../../state/notices";
import { useFrames, useMarking } from "../../state/queries";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { TopBar } from "../../ui/top_bar";
import { isTyped } from "../../ui/typing";
import { useKeys } from "../../ui/use_keys";
import { JobsButton } from "../jobs/jobs_button";
import { Pane } from "./pane";

type Row = components["schemas"]["SideRowOut"];

const COLUMNS = [1, 1, 2, 3, 2, 3, 3, 4, 4];
const REST_MS = 250;

/** Two to eight frames under one zoom and place, with how sharp each is there, and marks. */
export function SideBySide({ shoot, frames: ids }: { shoot: number; frames: number[] }) {
  const { data, error } = useFrames(shoot);
  const marking = useMarking(shoot);
  const [viewport, setViewport] = useState<Viewport>(FIT);
  const [current, setCurrent] = useState(0);
  const [rows, setRows] = useState<readonly Row[]>([]);
  const frames = useMemo(
    () => ids.map((id) => data?.frames.find((f) => f.id === id)).filter((f): f is Frame => f !== undefined),
    [ids, data],
  );
  const here = frames[Math.min(current, frames.length - 1)];

  const list = frames.map((f) => f.id).join(",");
  const spot = viewport.zoom === "fit" ? null : `${viewport.centreX.toFixed(3)},${viewport.centreY.toFixed(3)}`;
  useEffect(() => {
    const asked = list.split(",").filter(Boolean).map(Number);
    if (asked.length < 2) return;
    let wanted = true;
    // what is looked at is measured when the hand rests
    const later = setTimeout(() => {
      const [x, y] = spot?.split(",").map(Number) ?? [];
      const body = { frames: asked, spot: x === undefined || y === undefined ? null : ([x, y] as [number, number]) };
      need(api.POST("/api/side-by-side", { body }))
        .then((answer) => wanted && setRows(answer.frames))
        .catch(complain);
    }, REST_MS);
    return () => {
      wanted = false;
      clearTimeout(later);
    };
  }, [list, spot]);

  const show = (next: number[]) => go({ place: "side", shoot, frames: next }, true);
  const open = (frame: Frame) => go({ place: "bench", shoot, frame: frame.id, step: "tone" });
  const zoom = () => setViewport(viewport.zoom === "fit" ? { ...FIT, zoom: window.devicePixelRatio || 1 } : FIT);
  const mark = (value: Mark) => here && marking.mutate({ frames: [here.id], mark: here.mark === value ? "" : value });

  const onKey = (e: KeyboardEvent) => {
    if (isTyped(e) || e.ctrlKey || e.metaKey || e.altKey) return;
    const key = e.key.toLowerCase();
    const marks: Record<string, Mark> = { k: "keep", m: "maybe", d: "drop" };
    const step = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    const onButton = (e.target as Element | null)?.closest?.("button");
    if (marks[key]) mark(marks[key]);
    else if (/^[0-5]$/.test(key) && here) marking.mutate({ frames: [here.id], stars: Number(key) });
    else if (step) setCurrent((current + step + frames.length) % frames.length);
    else if (key === "f") zoom();
    else if (key === "escape") go({ place: "sheet", shoot });
    else if (key === "enter" && here && !onButton) open(here);
    else if (key === "delete" && here && frames.length > 2) show(ids.filter((id) => id !== here.id));
    else return;
    e.preventDefault();
  };
  useKeys(onKey);

  const columns = COLUMNS[Math.min(frames.length, 8)] ?? 4;
  return (
    <div className="flex h-full flex-col">
      <TopBar
        crumbs={[
          [data?.name ?? "", { place: "sheet", shoot }],
          ["Side by side", null],
        ]}
      >
        {(["keep", "maybe", "drop"] as const).map((m) => (
          <Button key={m} disabled={!here} onClick={() => mark(m)} aria-keyshortcuts={m[0]}>
            {{ keep: "Keep", maybe: "Maybe", drop: "Drop" }[m]}
            <span className="text-xs text-ink3">{m[0]?.toUpperCase()}</span>
          </Button>
        ))}
        <span className="h-5 w-px bg-rule" />
        <Button pressed={viewport.zoom === "fit"} onClick={() => setViewport(FIT)}>
          Fit
        </Button>
        <Button pressed={viewport.zoom !== "fit"} onClick={zoom}>
          1:1
        </Button>
        <JobsButton />
        <Button onClick={() => go({ place: "sheet", shoot })}>To the sheet</Button>
      </TopBar>
      {error && (
        <p role="alert" className="p-6">
          {error.message}
        </p>
      )}
      {data && frames.length < 2 && (
        <p className="p-6 text-ink2">Choose two to eight frames on the contact sheet to see them side by side.</p>
      )}
      <main
        data-place-start
        tabIndex={-1}
        aria-label="Frames side by side"
        className="grid min-h-0 grow gap-1 bg-zinc p-1 !outline-none"
        style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`, gridAutoRows: "minmax(0, 1fr)" }}
      >
        {frames.length > 1 &&
          frames.map((frame, i) => (
            <Pane
              key={frame.id}
              frame={frame}
              number={i}
              current={frame.id === here?.id}
              viewport={viewport}
              setViewport={setViewport}
              measured={rows.find((r) => r.frame === frame.id)}
              onCurrent={() => setCurrent(i)}
              onOpen={() => open(frame)}
              onClose={frames.length > 2 ? () => show(ids.filter((id) => id !== frame.id)) : undefined}
            />
          ))}
      </main>
    </div>
  );
}
