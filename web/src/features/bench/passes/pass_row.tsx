import { ArrowDown, ArrowUp, Copy, GripVertical, Pin, Search, Trash2 } from "lucide-react";
import { type ReactNode, useRef, useState } from "react";
import type { Frame } from "../../../api/client";
import type { Pass } from "../../../api/generated/recipe";
import { newItemId } from "../../../state/items";
import { saveAs, usePasses, withDouble, withPass } from "../../../state/passes";
import { Hint, Switch } from "../../../ui/controls";
import { leave } from "../../../ui/focus";
import { Act } from "../drawing/act";
import { Strength } from "./strength";
import type { Tiny } from "./tiny_areas";
import { What } from "./what";
import { Where } from "./where";
import { coverWords, doesWords } from "./words";

const DRAGGED = "application/x-zincplate-pass";

interface Props {
  frame: Frame;
  pass: Pass;
  tiny: Tiny | undefined;
  opened: boolean;
  /** The group of the row above. */
  before: string;
  onMove: (by: 1 | -1) => void;
  /** Another pass was dropped on this one. */
  onPlace: (other: string) => void;
}

/** One pass: its area small, its name, what it does, how much it covers; open it shows where and what. */
export function PassRow({ frame, pass, tiny, opened, before, onMove, onPlace }: Props) {
  const { open } = usePasses.getState();
  const [over, setOver] = useState(false);
  const binds = bound(pass);
  return (
    <li
      aria-label={`Pass ${pass.name}`}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes(DRAGGED)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        onPlace(e.dataTransfer.getData(DRAGGED));
      }}
      className={`relative border-t border-rule ${opened ? "bg-sheet" : ""} ${over ? "shadow-[inset_0_3px_0_#b93817]" : ""}`}
    >
      {pass.group && <Bracket name={pass.group === before ? "" : pass.group} joined={pass.group === before} />}
      <div className="flex gap-2 py-2 pl-1.5 pr-3.5">
        <Hint text="Drag to another place">
          {/* biome-ignore lint/a11y/noStaticElementInteractions: the keyboard moves passes by the buttons below */}
          <span
            draggable
            onDragStart={(e) => e.dataTransfer.setData(DRAGGED, pass.id)}
            className="flex w-3.5 cursor-grab items-center text-ink3"
          >
            <GripVertical size={14} aria-hidden />
          </span>
        </Hint>
        <button
          type="button"
          aria-expanded={opened}
          aria-label={`${opened ? "Close" : "Open"} pass ${pass.name}`}
          onClick={() => open(opened ? null : pass.id)}
          className="flex h-[42px] w-[58px] shrink-0 items-center justify-center border border-rule bg-[#202020]"
        >
          {tiny && <img src={tiny.picture} alt="" className="max-h-full max-w-full" draggable={false} />}
        </button>
        <div className="min-w-0 grow">
          <div className="flex items-center gap-1.5">
            {opened ? (
              <NameField pass={pass} />
            ) : (
              <button
                type="button"
                onClick={() => open(pass.id)}
                className={`truncate text-left text-sm font-semibold ${pass.on ? "" : "text-ink2 line-through"}`}
              >
                {pass.name}
              </button>
            )}
            <span className="grow" />
            {binds && (
              <Hint text={binds.text}>
                <span role="img" aria-label={binds.text} className="text-ink2">
                  {binds.icon}
                </span>
              </Hint>
            )}
            <Switch
              on={pass.on}
              label={`Pass ${pass.name} switched on`}
              onChange={(on) => saveAs("", (r) => withPass(r, pass.id, (p) => ({ ...p, on })))}
            />
          </div>
          <p className="truncate text-xs text-ink2" title={doesWords(pass)}>
            {doesWords(pass)}
          </p>
          <div className="flex items-center gap-2 text-xs text-ink2">
            <span className="whitespace-nowrap">{tiny ? `covers ${coverWords(tiny.cover)}` : "\u00a0"}</span>
            <span className="grow" />
            <Strength pass={pass} />
          </div>
        </div>
      </div>
      {opened && (
        <div className="pb-2.5">
          <Where frame={frame} pass={pass} />
          <What pass={pass} />
          <div className="mt-2 flex items-center gap-0.5 px-3">
            <Act label="Print later" onClick={() => onMove(1)} icon={<ArrowUp size={14} aria-hidden />} />
            <Act label="Print earlier" onClick={() => onMove(-1)} icon={<ArrowDown size={14} aria-hidden />} />
            <Act
              label="Double the pass"
              icon={<Copy size={14} aria-hidden />}
              onClick={() => {
                const copy = newItemId();
                saveAs("", (r) => withDouble(r, pass.id, copy));
                open(copy);
              }}
            />
            <GroupField pass={pass} />
            <span className="grow" />
            <Act
              label={`Remove pass ${pass.name}`}
              icon={<Trash2 size={14} aria-hidden />}
              onClick={() => {
                open(null);
                saveAs("", (r) => withPass(r, pass.id, () => null));
              }}
            />
          </div>
        </div>
      )}
    </li>
  );
}

/** Whether an area is bound to this frame's pixels, or is found again in others. */
function bound(pass: Pass): { text: string; icon: ReactNode } | null {
  const kinds = new Set(pass.area.terms.map((t) => t.kind));
  if (kinds.has("brush") || kinds.has("near"))
    return { text: "Bound to this frame: painted or picked on it", icon: <Pin size={13} aria-hidden /> };
  if (kinds.has("found"))
    return { text: "Found again in each frame it is carried to", icon: <Search size={13} aria-hidden /> };
  return null;
}

/** A bracket at the left of the rows of a group. */
function Bracket({ name, joined }: { name: string; joined: boolean }) {
  return (
    <>
      <span
        aria-hidden
        className={`absolute bottom-0 left-0.5 w-1 border-l-2 border-ink ${joined ? "top-0" : "top-1 border-t-2"}`}
      />
      {name && <p className="pl-6 pt-1 text-[11px] font-semibold text-ink2">{name}</p>}
    </>
  );
}

function NameField({ pass }: { pass: Pass }) {
  const left = useRef(false);
  return (
    <input
      aria-label="Name of the pass"
      defaultValue={pass.name}
      key={`${pass.id} ${pass.name}`}
      maxLength={40}
      onKeyDown={(e) => {
        e.stopPropagation();
        left.current = e.key === "Escape";
        if (e.key === "Enter" || e.key === "Escape") leave(e.currentTarget);
      }}
      onBlur={(e) => {
        const name = e.currentTarget.value.trim();
        if (!left.current && name && name !== pass.name)
          saveAs("", (r) => withPass(r, pass.id, (p) => ({ ...p, name })));
        else e.currentTarget.value = pass.name;
        left.current = false;
      }}
      className="h-6 w-28 rounded-[2px] border border-rule bg-white px-1.5 text-sm font-semibold"
    />
  );
}

function GroupField({ pass }: { pass: Pass }) {
  return (
    <input
      aria-label="Group of the pass"
      placeholder="group"
      defaultValue={pass.group}
      key={`${pass.id} ${pass.group}`}
      maxLength={40}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") leave(e.currentTarget);
      }}
      onBlur={(e) => {
        const group = e.currentTarget.value.trim();
        if (group !== pass.group) saveAs("", (r) => withPass(r, pass.id, (p) => ({ ...p, group })));
      }}
      className="ml-1 h-6 w-24 rounded-[2px] border border-rule bg-white px-1.5 text-xs placeholder:text-ink2"
    />
  );
}
