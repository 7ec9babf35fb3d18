import { Popover } from "radix-ui";
import { useMemo } from "react";
import { api, type Frame, need } from "../../api/client";
import type { Label } from "../../state/labels";
import { complain } from "../../state/notices";
import { queryClient } from "../../state/queries";
import { Button } from "../../ui/controls";
import type { Size } from "./cell";
import { Coming } from "./coming";
import { countsOf, EVERYTHING, FILTERS, foldersOf, type Look, ORDERS, type Order } from "./selection";

interface Props {
  shoot: number;
  all: readonly Frame[];
  labels: readonly Label[];
  look: Look;
  setLook: (look: Look) => void;
  order: Order;
  setOrder: (order: Order) => void;
  size: Size;
  setSize: (size: Size) => void;
  text: string;
  setText: (text: string) => void;
  watched: string;
}

async function leaveWatching(shoot: number): Promise<void> {
  try {
    await need(api.DELETE("/api/shoots/{id}/watch", { params: { path: { id: shoot } } }));
  } catch (error) {
    complain(error);
  }
  void queryClient.invalidateQueries({ queryKey: ["frames"] });
}

const SELECT = "h-7 border border-rule bg-sheet px-1";

/** What the sheet shows and in which order: marks, what else narrows it, words, order, size of the pictures. */
export function SheetBar({
  shoot,
  all,
  labels,
  look,
  setLook,
  order,
  setOrder,
  size,
  setSize,
  text,
  setText,
  watched,
}: Props) {
  const counts = useMemo(() => countsOf(all), [all]);
  return (
    <div className="flex h-10 shrink-0 items-center gap-3.5 border-b border-rule bg-paper px-4 max-[1180px]:gap-2.5">
      <div role="toolbar" aria-label="Filter" className="flex gap-3.5 max-[1180px]:gap-2.5">
        {FILTERS.map(([key, name]) => (
          <button
            key={key}
            type="button"
            aria-pressed={look.filter === key}
            onClick={() => setLook({ ...look, filter: key })}
            className={`h-10 whitespace-nowrap border-b-2 pt-0.5 ${look.filter === key ? "border-wax text-ink" : "border-transparent text-ink2 hover:text-ink"}`}
          >
            {name} <b className="font-semibold text-ink">{counts[key]}</b>
          </button>
        ))}
        <span className="h-4 w-px shrink-0 self-center bg-rule" />
        {(["adjusted", "delivered"] as const).map((state) => (
          <button
            key={state}
            type="button"
            aria-pressed={look[state] === true}
            onClick={() => setLook({ ...look, [state]: look[state] === true ? null : true })}
            className={`h-10 whitespace-nowrap border-b-2 pt-0.5 ${look[state] === true ? "border-wax text-ink" : "border-transparent text-ink2 hover:text-ink"}`}
          >
            {state} <b className="font-semibold text-ink">{counts[state]}</b>
          </button>
        ))}
      </div>
      <span className="h-4 w-px shrink-0 bg-rule" />
      <Narrow all={all} labels={labels} look={look} setLook={setLook} />
      <label className="flex min-w-0 items-center gap-1.5 text-ink2">
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
          className="h-7 w-32 min-w-14 shrink border border-rule bg-white px-1.5 text-ink"
        />
      </label>
      <span className="grow" />
      {watched && (
        <span className="flex min-w-0 items-center gap-1 text-ink2" title={watched}>
          <span className="truncate">watching {watched.split("/").filter(Boolean).at(-1)}</span>
          <button
            type="button"
            aria-label={`No longer watch ${watched}`}
            onClick={() => void leaveWatching(shoot)}
            className="h-6 w-6 hover:text-ink"
          >
            {"\u00d7"}
          </button>
        </span>
      )}
      <Coming shoot={shoot} />
      <label className="flex items-center gap-1.5 whitespace-nowrap text-ink2">
        by
        <select
          aria-label="Order of the frames"
          value={order}
          onChange={(e) => setOrder(e.currentTarget.value as Order)}
          className={SELECT}
        >
          {ORDERS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <select
        aria-label="Size of the pictures"
        value={size}
        onChange={(e) => setSize(e.currentTarget.value as Size)}
        className={SELECT}
      >
        <option value="small">small</option>
        <option value="medium">medium</option>
        <option value="large">large</option>
      </select>
    </div>
  );
}

const count = (look: Look): number =>
  (look.stars > 0 ? 1 : 0) +
  (look.label ? 1 : 0) +
  (look.camera ? 1 : 0) +
  (look.lens ? 1 : 0) +
  (look.kind !== "any" ? 1 : 0) +
  (look.folder !== null ? 1 : 0) +
  (look.adjusted === false ? 1 : 0) +
  (look.passes !== null ? 1 : 0) +
  (look.repairs !== null ? 1 : 0) +
  (look.delivered === false ? 1 : 0) +
  (look.inSet !== null ? 1 : 0);

/** Yes, no, or both. */
const STATES = [
  ["adjusted", "Adjusted"],
  ["passes", "Passes"],
  ["repairs", "Repairs"],
  ["delivered", "Delivered"],
  ["inSet", "In a set"],
] as const;

type NarrowProps = Pick<Props, "all" | "labels" | "look" | "setLook">;

/** Stars, label, camera, lens, folder, kind and states: folded away, with how many of them hold. */
function Narrow({ all, labels, look, setLook }: NarrowProps) {
  const used = count(look);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button pressed={used > 0}>{used ? `Narrowed by ${used}` : "Narrow"}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="Narrow what is shown"
          className="z-40 flex w-80 flex-col gap-2 border border-ink bg-sheet p-3 shadow-lg"
        >
          <Choices {...{ all, labels, look, setLook }} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Worked out only while it is open: what there is to choose from is looked up in every frame. */
function Choices({ all, labels, look, setLook }: NarrowProps) {
  const values = useMemo(() => {
    const of = (key: "camera" | "lens" | "label") => [...new Set(all.map((f) => f[key]).filter(Boolean))].sort();
    return { camera: of("camera"), lens: of("lens"), label: of("label") };
  }, [all]);
  const folders = useMemo(() => foldersOf(all), [all]);
  const used = count(look);
  const known = [...new Set([...labels.map((l) => l.name), ...values.label])];
  const row = (name: string, key: "label" | "camera" | "lens", options: readonly string[]) => (
    <label className="grid grid-cols-[64px_1fr] items-center gap-2">
      <span className="text-ink2">{name}</span>
      <select
        value={look[key]}
        onChange={(e) => setLook({ ...look, [key]: e.currentTarget.value })}
        className={`${SELECT} min-w-0`}
      >
        <option value="">any</option>
        {options.map((o) => (
          <option key={o} value={o}>
            {o}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <>
      <label className="grid grid-cols-[64px_1fr] items-center gap-2">
        <span className="text-ink2">Stars</span>
        <select
          aria-label="At least this many stars"
          value={look.stars}
          onChange={(e) => setLook({ ...look, stars: Number(e.currentTarget.value) })}
          className={SELECT}
        >
          <option value={0}>any</option>
          {[1, 2, 3, 4, 5].map((n) => (
            <option key={n} value={n}>
              {n} and up
            </option>
          ))}
        </select>
      </label>
      {row("Label", "label", known)}
      {row("Camera", "camera", values.camera)}
      {row("Lens", "lens", values.lens)}
      <label className="grid grid-cols-[64px_1fr] items-center gap-2">
        <span className="text-ink2">Kind</span>
        <select
          value={look.kind}
          onChange={(e) => setLook({ ...look, kind: e.currentTarget.value as Look["kind"] })}
          className={SELECT}
        >
          <option value="any">any</option>
          <option value="raw">camera raw</option>
          <option value="finished">finished picture</option>
        </select>
      </label>
      {folders.length > 0 && (
        <label className="grid grid-cols-[64px_1fr] items-center gap-2">
          <span className="text-ink2">Folder</span>
          <select
            value={look.folder ?? "*"}
            onChange={(e) => setLook({ ...look, folder: e.currentTarget.value === "*" ? null : e.currentTarget.value })}
            className={`${SELECT} min-w-0`}
          >
            <option value="*">any</option>
            <option value="">none</option>
            {folders.map((f) => (
              <option key={f} value={f}>
                {f}
              </option>
            ))}
          </select>
        </label>
      )}
      {STATES.map(([key, name]) => (
        <label key={key} className="grid grid-cols-[64px_1fr] items-center gap-2">
          <span className="text-ink2">{name}</span>
          <select
            value={look[key] === null ? "" : look[key] ? "yes" : "no"}
            onChange={(e) =>
              setLook({ ...look, [key]: e.currentTarget.value === "" ? null : e.currentTarget.value === "yes" })
            }
            className={SELECT}
          >
            <option value="">yes or no</option>
            <option value="yes">yes</option>
            <option value="no">no</option>
          </select>
        </label>
      ))}
      <div className="flex justify-end">
        <Button disabled={!used} onClick={() => setLook({ ...EVERYTHING, filter: look.filter })}>
          Show all again
        </Button>
      </div>
    </>
  );
}
