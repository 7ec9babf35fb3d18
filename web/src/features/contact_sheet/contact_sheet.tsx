import { useVirtualizer } from "@tanstack/react-virtual";
import { type MouseEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Frame, Mark } from "../../api/client";
import { carry, pasteOn, undoNewestStep, useCarrying } from "../../state/carrying";
import type { FrameSet } from "../../state/frames";
import { inkOf, useLabels } from "../../state/labels";
import { useNotices } from "../../state/notices";
import { useFrames, useMarking, useShoots } from "../../state/queries";
import { go } from "../../state/route";
import { useChosen, useSelection } from "../../state/selection";
import { useTogether } from "../../state/together";
import { Button } from "../../ui/controls";
import { TopBar } from "../../ui/top_bar";
import { FactsDrawer } from "../bench/facts_drawer";
import { CarrySheet } from "../carry/carry_sheet";
import { EvenSheet } from "../carry/even_sheet";
import { PresetSheet } from "../carry/preset_sheet";
import { JobsButton } from "../jobs/jobs_button";
import { BringIn, useDrop } from "../shoots/bring_in";
import { moveBefore, stepTarget } from "./arranging";
import { Cell, SIZES } from "./cell";
import { DescribeDialog } from "./describe_dialog";
import { useFound } from "./find";
import { useHandDrag } from "./hand_drag";
import { LabelsDialog } from "./labels_dialog";
import { MergeDialog } from "./merge_dialog";
import { mergeChosen } from "./merging";
import { FolderDialog, RenameDialog } from "./names_dialog";
import { takeOut } from "./removing";
import { EVERYTHING, foldersOf, type Look, next, ordered, passing, same } from "./selection";
import { SetsMenu } from "./sets_menu";
import { type Deeds, SheetActions } from "./sheet_actions";
import { SheetBar } from "./sheet_bar";
import { useSheetKeys } from "./sheet_keys";
import { useSheetMemory } from "./sheet_memory";
import { stacked } from "./stacks";
import { TakenOutSheet } from "./taken_out_sheet";

const NO_SETS: FrameSet[] = [];

type Asking =
  | "carry"
  | "even"
  | "preset"
  | "labels"
  | "describe"
  | "rename"
  | "folder"
  | "taken_out"
  | "bring_in"
  | "merge"
  | null;

/** The grid of a shoot's frames, with marks, filters and what to do with the chosen ones. */
export function ContactSheet({ shoot }: { shoot: number }) {
  const { data, error } = useFrames(shoot);
  const labels = useLabels();
  const marking = useMarking(shoot);
  const [look, setLook] = useState<Look>(EVERYTHING);
  const { size, order, remember } = useSheetMemory();
  const cell = SIZES[size];
  const chosen = useChosen(shoot);
  const setChosen = (ids: Iterable<number>) => useSelection.getState().choose(shoot, ids);
  const [cursor, setCursor] = useState<number | null>(null);
  const [asking, setAsking] = useState<Asking>(null);
  const [brackets, setBrackets] = useState<number[][]>([]);
  const [dropped, setDropped] = useState<File[] | null>(null);
  const shoots = useShoots(asking === "bring_in");
  const [facts, setFacts] = useState(false);
  const [showRefused, setShowRefused] = useState(true);
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1240);
  const drop = useDrop((files) => {
    setDropped(files);
    setAsking("bring_in");
  });

  const all = data?.frames ?? [];
  const [text, setText] = useState("");
  const found = useFound(shoot, text);
  const frames = useMemo(() => ordered(passing(all, look, found), order), [all, look, found, order]);
  const sets = data?.sets ?? NO_SETS;
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set());
  const [allOpen, setAllOpen] = useState(false);
  const stacks = useMemo(() => stacked(frames, sets, opened, allOpen), [frames, sets, opened, allOpen]);
  const { shown } = stacks;
  const fold = (id: number) => {
    const next = new Set(opened);
    if (!next.delete(id)) next.add(id);
    setOpened(next);
  };
  const columns = Math.max(1, Math.floor((width - 28) / cell.width));
  const across = Math.max(cell.width, Math.floor((width - 28) / columns));
  const rows = Math.ceil(shown.length / columns);
  const virtual = useVirtualizer({
    count: rows,
    getScrollElement: () => scroller.current,
    estimateSize: () => cell.height,
    overscan: 1,
  });

  // biome-ignore lint/correctness/useExhaustiveDependencies: rows are measured anew when their height changes
  useEffect(() => virtual.measure(), [cell.height, virtual]);
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    // what a filter hides is not where one stands
    if (shown.length && !shown.some((f) => f.id === cursor)) setCursor(shown[0]?.id ?? null);
  }, [shown, cursor]);

  const current = shown.find((f) => f.id === cursor);
  const there = useMemo(() => (chosen.size ? all.filter((f) => chosen.has(f.id)) : []), [all, chosen]);
  const picked = useMemo(() => {
    if (there.length || !current) return there;
    const set = new Set(stacks.expand([current.id]));
    return set.size === 1 ? [current] : all.filter((f) => set.has(f.id));
  }, [all, there, current, stacks]);
  const targets = useMemo(() => picked.map((f) => f.id), [picked]);
  const mark = (value: Mark) => {
    const already = picked.every((f) => f.mark === value);
    if (targets.length) marking.mutate({ frames: targets, mark: already ? "" : value });
  };
  const label = (name: string) => {
    const already = picked.every((f) => f.label === name);
    if (targets.length) marking.mutate({ frames: targets, label: already ? "" : name });
  };
  const open = (id: number) => go({ place: "bench", shoot, frame: id, step: "tone" });

  const press = (frame: Frame, e: MouseEvent) => {
    setCursor(frame.id);
    if (e.shiftKey && cursor !== null) {
      const from = shown.findIndex((f) => f.id === cursor);
      const to = shown.findIndex((f) => f.id === frame.id);
      const range = stacks.expand(shown.slice(Math.min(from, to), Math.max(from, to) + 1).map((f) => f.id));
      setChosen(e.ctrlKey || e.metaKey ? [...chosen, ...range] : range);
    } else if (e.ctrlKey || e.metaKey) {
      const set = new Set(chosen);
      const there = set.has(frame.id);
      for (const id of stacks.expand([frame.id])) {
        if (there) set.delete(id);
        else set.add(id);
      }
      setChosen(set);
    } else setChosen(stacks.expand([frame.id]));
  };

  const deeds: Deeds = {
    mark,
    label,
    open: () => current && open(current.id),
    sideBySide: () => go({ place: "side", shoot, frames: picked.slice(0, 8).map((f) => f.id) }),
    merge: () => {
      const several = mergeChosen(shoot, picked, sets);
      setBrackets(several ?? []);
      if (several) setAsking("merge");
    },
    deliver: () => go({ place: "deliver", shoot, frames: picked.map((f) => f.id) }),
    carry: () => setAsking("carry"),
    evenOut: () => setAsking("even"),
    preset: () => setAsking("preset"),
    together: () => {
      const first = picked.find((f) => f.id === cursor) ?? picked[0];
      if (!first) return;
      useTogether.getState().begin(
        shoot,
        picked.map((f) => [f.id, f.version]),
      );
      open(first.id);
    },
    reset: () => void carry({ reset: true, targets: picked.map((f) => ({ version: f.version, values: {} })) }),
    remove: () => void takeOut(shoot, picked),
    invert: () => setChosen(frames.filter((f) => !chosen.has(f.id)).map((f) => f.id)),
    selectAll: () => setChosen(frames.map((f) => f.id)),
    selectSame: (of) => current && setChosen(same(frames, current, of)),
    editLabels: () => setAsking("labels"),
    describe: () => setAsking("describe"),
    rename: () => picked.length && setAsking("rename"),
    folder: () => setAsking("folder"),
    takenOut: () => setAsking("taken_out"),
    undoStep: () => void undoNewestStep(shoot),
  };

  const grid = useRef<HTMLDivElement>(null);
  const targetSet = useMemo(() => new Set(targets), [targets]);
  const inOrder = (ids: ReadonlySet<number>) => frames.filter((f) => ids.has(f.id)).map((f) => f.id);
  const sayOrder = () => useNotices.getState().say('Frames can be moved when the sheet is ordered by "hand".');
  const drag = useHandDrag({
    on: order === "hand",
    scroller,
    taken: (id) => (chosen.has(id) ? chosen : new Set(stacks.expand([id]))),
    drop: (ids, at) => {
      const members = stacks.expand([at.id]);
      const others = frames.filter((f) => !ids.has(f.id)).map((f) => f.id);
      const edge = others.indexOf((at.after ? members.at(-1) : members[0]) ?? at.id);
      void moveBefore(shoot, inOrder(ids), others[at.after ? edge + 1 : edge] ?? null);
    },
  });
  useSheetKeys({
    busy: asking !== null,
    grid,
    columns,
    rows: Math.max(1, Math.floor((scroller.current?.clientHeight ?? 0) / cell.height)),
    deeds,
    labels,
    chosen: targets.length,
    copy: () => {
      if (!current) return;
      useCarrying.setState({ copied: { version: current.version, name: current.name } });
      useNotices.getState().say(`Adjustments of ${current.name} copied. Ctrl+V puts them on the selected frames.`);
    },
    paste: () => void pasteOn(picked.map((f) => f.version)),
    stars: (count) => targets.length && marking.mutate({ frames: targets, stars: count }),
    move: (step, extend) => {
      const target = next(shown, cursor, step, columns + 1);
      if (!target) return;
      const to = shown.indexOf(target);
      const from = extend ? shown.findIndex((f) => f.id === cursor) : to;
      const passed = shown.slice(Math.min(from, to), Math.max(from, to) + 1).map((f) => f.id);
      setCursor(target.id);
      setChosen([...(extend ? chosen : []), ...stacks.expand(passed)]);
      virtual.scrollToIndex(Math.floor(to / columns));
    },
    shift: (step) => {
      if (order !== "hand") return sayOrder();
      const ids = shown.map((f) => f.id);
      const to = stepTarget(ids, targetSet, step);
      if (to !== undefined)
        void moveBefore(shoot, inOrder(targetSet), to === null ? null : (stacks.expand([to])[0] ?? to));
    },
    fold: () => {
      if (!current || !stacks.of.has(current.id)) return false;
      fold(current.set);
      return true;
    },
    clear: () => setChosen([]),
  });

  const number = there.length;
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
        <Button ink onClick={() => setAsking("bring_in")}>
          Bring in
        </Button>
      </TopBar>
      <SheetBar
        {...{ shoot, all, labels, look, setLook, order, size, text, setText }}
        watched={data?.watched ?? ""}
        setOrder={(o) => remember({ order: o })}
        setSize={(s) => remember({ size: s })}
      />
      {data && data.refusals.length > 0 && showRefused && (
        <section
          aria-label="Refused files"
          className="flex shrink-0 items-start gap-4 border-b border-rule bg-white px-4 py-1"
        >
          <ul className="scroll-plain max-h-24 grow leading-7">
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
          ref={grid}
          role="grid"
          aria-label="Frames of the shoot"
          aria-multiselectable
          aria-rowcount={rows}
          aria-colcount={columns}
          aria-activedescendant={current ? `frame-${cursor}` : undefined}
          tabIndex={0}
          data-place-start
          className="group relative min-h-full !outline-none"
          style={{ height: virtual.getTotalSize() }}
          {...drag.handlers}
        >
          {virtual.getVirtualItems().map((row) => (
            // biome-ignore lint/a11y/useSemanticElements: as above
            // biome-ignore lint/a11y/useFocusableInteractive: the grid has the keyboard and names its current cell
            <div
              key={row.key}
              role="row"
              aria-rowindex={row.index + 1}
              // a row's inside is laid out and painted by itself: a jump through thousands stays quick
              className="absolute inset-x-0 top-0 flex [contain:layout_paint_style]"
              style={{ transform: `translateY(${row.start}px)`, height: cell.height }}
            >
              {shown.slice(row.index * columns, (row.index + 1) * columns).map((frame) => (
                <Cell
                  key={frame.id}
                  frame={frame}
                  size={size}
                  across={across}
                  ink={inkOf(labels, frame.label)}
                  stack={stacks.of.get(frame.id)}
                  onFold={() => fold(frame.set)}
                  chosen={chosen.has(frame.id)}
                  current={cursor === frame.id}
                  drop={drag.at?.id === frame.id ? (drag.at.after ? "after" : "before") : undefined}
                  onPress={(e) => press(frame, e)}
                  onOpen={() => open(frame.id)}
                />
              ))}
            </div>
          ))}
        </div>
      </main>
      <SheetActions
        words={number ? `${number} selected` : `${frames.length} frames`}
        count={targets.length}
        labels={labels}
        deeds={deeds}
      >
        <SetsMenu
          {...{ shoot, sets, allOpen }}
          chosen={targets}
          setAllOpen={(on) => {
            setAllOpen(on);
            setOpened(new Set());
          }}
        />
        {current && (
          <FactsDrawer id={current.id} name={current.name} open={facts} setOpen={setFacts} button>
            Facts
          </FactsDrawer>
        )}
      </SheetActions>
      {asking === "carry" && (
        <CarrySheet shoot={shoot} frames={all} source={current ?? null} onClose={() => setAsking(null)} />
      )}
      {asking === "merge" && (
        <MergeDialog shoot={shoot} groups={brackets} frames={picked} onClose={() => setAsking(null)} />
      )}
      {asking === "even" && <EvenSheet frames={picked} reference={current ?? null} onClose={() => setAsking(null)} />}
      {asking === "preset" && <PresetSheet frames={picked} onClose={() => setAsking(null)} />}
      {asking === "describe" && <DescribeDialog frames={picked} onClose={() => setAsking(null)} />}
      {asking === "rename" && <RenameDialog frames={picked} onClose={() => setAsking(null)} />}
      {asking === "folder" && <FolderDialog frames={picked} folders={foldersOf(all)} onClose={() => setAsking(null)} />}
      {asking === "taken_out" && <TakenOutSheet shoot={shoot} onClose={() => setAsking(null)} />}
      {asking === "labels" && <LabelsDialog onClose={() => setAsking(null)} />}
      <BringIn
        card={shoots.data?.card ?? null}
        shoot={data ? { id: data.id, name: data.name } : undefined}
        dropped={dropped}
        open={asking === "bring_in"}
        onClose={() => {
          setAsking(null);
          setDropped(null);
        }}
      />
    </div>
  );
}
