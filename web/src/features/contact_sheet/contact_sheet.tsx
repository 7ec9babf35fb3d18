import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type MouseEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Frame, Mark } from "../../api/client";
import { isActive, useJobs } from "../../state/jobs";
import { useFrames, useMarking, useShoots } from "../../state/queries";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { TopBar } from "../../ui/top_bar";
import { JobsButton } from "../jobs/jobs_button";
import { BringIn, useDrop } from "../shoots/bring_in";
import { CELL, Cell } from "./cell";
import { useFound } from "./find";
import { FILTERS, type Filter, matches, next } from "./selection";

/** What is still on its way to this shoot: how many of how many. */
function Coming({ shoot }: { shoot: number }) {
  const jobs = useJobs((s) => s.jobs);
  const active = jobs.filter((j) => j.shoot === shoot && isActive(j) && j.files > 0);
  const camera = active.find((j) => j.kind === "camera");
  const others = active.filter((j) => j.kind === "bring_in");
  const sum = (of: "files" | "files_done") => others.reduce((n, j) => n + j[of], 0);
  const words = [
    camera ? `the camera has taken ${camera.files_done} of ${camera.files} frames` : "",
    others.length && !camera ? `bringing in: ${sum("files_done")} of ${sum("files")} files` : "",
  ].filter(Boolean);
  return (
    <span role="status" className="flex items-center gap-2 font-medium">
      {words.length > 0 && (
        <>
          <span className="block h-[7px] w-24 border border-ink3 bg-white" aria-hidden>
            <span
              className="block h-full bg-ink"
              style={{
                width: `${(100 * (camera?.files_done ?? sum("files_done"))) / (camera?.files ?? sum("files"))}%`,
              }}
            />
          </span>
          {words.join("; ")}
        </>
      )}
    </span>
  );
}

/** The grid of a shoot's frames, with marks, filters and what to do with the chosen ones. */
export function ContactSheet({ shoot }: { shoot: number }) {
  const { data, error } = useFrames(shoot);
  const shoots = useShoots();
  const marking = useMarking(shoot);
  const [filter, setFilter] = useState<Filter>("all");
  const [stars, setStars] = useState(0);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [cursor, setCursor] = useState<number | null>(null);
  const [asking, setAsking] = useState(false);
  const [dropped, setDropped] = useState<File[] | null>(null);
  const [showRefused, setShowRefused] = useState(true);
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1240);
  const drop = useDrop((files) => {
    setDropped(files);
    setAsking(true);
  });

  const all = data?.frames ?? [];
  const [text, setText] = useState("");
  const found = useFound(shoot, text);
  const frames = useMemo(
    () => all.filter((f) => matches(f, filter, stars) && (found === null || found.has(f.id))),
    [all, filter, stars, found],
  );
  const columns = Math.max(1, Math.floor((width - 28) / CELL.width));
  const rows = Math.ceil(frames.length / columns);
  const virtual = useVirtualizer({
    count: rows,
    getScrollElement: () => scroller.current,
    estimateSize: () => CELL.height,
    overscan: 4,
  });

  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    // what a filter hides is not where one stands
    if (frames.length && !frames.some((f) => f.id === cursor)) setCursor(frames[0]?.id ?? null);
  }, [frames, cursor]);

  const here = cursor !== null && frames.some((f) => f.id === cursor);
  const targets = chosen.size ? [...chosen] : here ? [cursor] : [];
  const mark = (value: Mark) => {
    const same = targets.every((id) => all.find((f) => f.id === id)?.mark === value);
    if (targets.length) marking.mutate({ frames: targets, mark: same ? "" : value });
  };
  const open = (id: number) => go({ place: "bench", shoot, frame: id, step: "tone" });

  const press = (frame: Frame, e: MouseEvent) => {
    setCursor(frame.id);
    if (e.shiftKey && cursor !== null) {
      const from = frames.findIndex((f) => f.id === cursor);
      const to = frames.findIndex((f) => f.id === frame.id);
      const range = frames.slice(Math.min(from, to), Math.max(from, to) + 1).map((f) => f.id);
      setChosen(new Set(e.ctrlKey || e.metaKey ? [...chosen, ...range] : range));
    } else if (e.ctrlKey || e.metaKey) {
      const set = new Set(chosen);
      if (!set.delete(frame.id)) set.add(frame.id);
      setChosen(set);
    } else setChosen(new Set([frame.id]));
  };

  const onKey = (e: KeyboardEvent) => {
    const ctrl = e.ctrlKey || e.metaKey;
    if (ctrl && e.key.toLowerCase() === "a") {
      e.preventDefault();
      setChosen(new Set(frames.map((f) => f.id)));
      return;
    }
    if (ctrl || e.altKey) return;
    const marks: Record<string, Mark> = { k: "keep", m: "maybe", d: "drop" };
    const key = e.key.toLowerCase();
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[e.key];
    if (marks[key]) mark(marks[key]);
    else if (/^[0-5]$/.test(key)) {
      if (targets.length) marking.mutate({ frames: targets, stars: Number(key) });
    } else if (step) {
      const target = next(frames, cursor, step);
      if (!target) return;
      setCursor(target.id);
      setChosen(e.shiftKey ? new Set([...chosen, target.id]) : new Set([target.id]));
      virtual.scrollToIndex(Math.floor(frames.indexOf(target) / columns));
    } else if (e.key === "Enter" && cursor !== null) open(cursor);
    else if (e.key === "Escape") setChosen(new Set());
    else return;
    e.preventDefault();
  };

  const count = (f: Filter) => all.filter((frame) => matches(frame, f, 0)).length;
  return (
    <div className="flex h-full flex-col" {...drop.handlers}>
      <TopBar
        crumbs={[
          ["Shoots", { place: "shoots" }],
          [data?.name ?? "", null],
        ]}
      >
        <JobsButton />
        <Button onClick={() => go({ place: "deliver", shoot, frames: [] })}>Delivery desk</Button>
        <Button ink onClick={() => setAsking(true)}>
          Bring in
        </Button>
      </TopBar>
      <div className="flex h-10 shrink-0 items-center gap-4 border-b border-rule bg-paper px-4">
        <div role="toolbar" aria-label="Filter" className="flex gap-4">
          {FILTERS.map(([key, name]) => (
            <button
              key={key}
              type="button"
              aria-pressed={filter === key}
              onClick={() => setFilter(key)}
              className={`h-10 border-b-2 pt-0.5 ${filter === key ? "border-wax text-ink" : "border-transparent text-ink2 hover:text-ink"}`}
            >
              {name} <b className="font-semibold text-ink">{count(key)}</b>
            </button>
          ))}
        </div>
        <span className="h-4 w-px bg-rule" />
        <label className="flex items-center gap-2 text-ink2">
          stars
          <select
            aria-label="At least this many stars"
            value={stars}
            onChange={(e) => setStars(Number(e.currentTarget.value))}
            className="h-7 border border-rule bg-sheet px-1"
          >
            <option value={0}>any</option>
            {[1, 2, 3, 4, 5].map((n) => (
              <option key={n} value={n}>
                {n} and up
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2 text-ink2">
          find
          <input
            type="search"
            aria-label="Find frames by name, keywords, caption, camera or place"
            value={text}
            maxLength={200}
            onChange={(e) => setText(e.currentTarget.value)}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Escape") setText("");
            }}
            className="h-7 w-44 border border-rule bg-white px-1.5 text-ink"
          />
        </label>
        <span className="grow" />
        <Coming shoot={shoot} />
        <span className="text-ink2">by time taken</span>
      </div>
      {data && data.refusals.length > 0 && showRefused && (
        <section
          aria-label="Refused files"
          className="flex shrink-0 items-start gap-4 border-b border-rule bg-white px-4 py-2"
        >
          <ul className="scroll-plain max-h-24 grow">
            {data.refusals.map((r) => (
              <li key={r.name}>
                <b className="font-semibold text-wax">{r.name}</b> {r.reason}
              </li>
            ))}
          </ul>
          <Button quiet onClick={() => setShowRefused(false)}>
            Hide
          </Button>
        </section>
      )}
      <main
        ref={scroller}
        aria-label="Frames"
        className={`scroll-plain grow px-3.5 pt-2 ${drop.over ? "bg-white" : ""}`}
      >
        {error && <p role="alert">{error.message}</p>}
        {data && frames.length === 0 && (
          <p className="m-6 text-ink2">
            {all.length
              ? "No frame answers this filter."
              : "No frames yet. Bring in a folder or card, or drop files here."}
          </p>
        )}
        {/* biome-ignore lint/a11y/useSemanticElements: a grid of pictures is no table of data; rows come and go with scrolling */}
        <div
          role="grid"
          aria-label="Frames of the shoot"
          aria-multiselectable
          aria-rowcount={rows}
          aria-colcount={columns}
          aria-activedescendant={here ? `frame-${cursor}` : undefined}
          tabIndex={0}
          data-place-start
          onKeyDown={onKey}
          className="group relative min-h-full !outline-none"
          style={{ height: virtual.getTotalSize() }}
        >
          {virtual.getVirtualItems().map((row) => (
            // biome-ignore lint/a11y/useSemanticElements: as above
            // biome-ignore lint/a11y/useFocusableInteractive: the grid has the keyboard and names its current cell
            <div
              key={row.key}
              role="row"
              aria-rowindex={row.index + 1}
              className="absolute left-0 top-0 flex"
              style={{ transform: `translateY(${row.start}px)` }}
            >
              {frames.slice(row.index * columns, (row.index + 1) * columns).map((frame) => (
                <Cell
                  key={frame.id}
                  frame={frame}
                  chosen={chosen.has(frame.id)}
                  current={cursor === frame.id}
                  onPress={(e) => press(frame, e)}
                  onOpen={() => open(frame.id)}
                />
              ))}
            </div>
          ))}
        </div>
      </main>
      <footer className="flex h-[52px] shrink-0 items-center gap-2 border-t border-ink bg-paper px-4">
        <b className="font-semibold">{chosen.size ? `${chosen.size} selected` : `${frames.length} frames`}</b>
        <span className="grow" />
        {(["keep", "maybe", "drop"] as const).map((m) => (
          <Button key={m} disabled={!targets.length} onClick={() => mark(m)} aria-keyshortcuts={m[0]}>
            {{ keep: "Keep", maybe: "Maybe", drop: "Drop" }[m]}
            <span className="text-xs text-ink3">{m[0]?.toUpperCase()}</span>
          </Button>
        ))}
        <span className="mx-1 h-5 w-px bg-rule" />
        <Button disabled={cursor === null} onClick={() => cursor !== null && open(cursor)}>
          Open
        </Button>
        <Button
          ink
          disabled={!targets.length}
          onClick={() =>
            go({ place: "deliver", shoot, frames: frames.filter((f) => targets.includes(f.id)).map((f) => f.id) })
          }
        >
          Deliver {targets.length > 1 ? targets.length : ""}
        </Button>
      </footer>
      <BringIn
        card={shoots.data?.card ?? null}
        shoot={data ? { id: data.id, name: data.name } : undefined}
        dropped={dropped}
        open={asking}
        onClose={() => {
          setAsking(false);
          setDropped(null);
        }}
      />
    </div>
  );
}
