import { type MouseEvent, memo, type ReactNode } from "react";
import type { Frame } from "../../api/client";
import { thumbUrl } from "../../state/queries";
import { GreasePencil, MARK_WORDS, Stars } from "../../ui/marks";
import { exposureTime } from "../../ui/number";
import type { Stack } from "./stacks";

/** Room of one frame at each of the three sizes, in CSS pixels; frames of a row share what is left of its width. */
export const SIZES = {
  small: { width: 122, height: 122, picture: 110, tall: 74 },
  medium: { width: 178, height: 162, picture: 164, tall: 110 },
  large: { width: 302, height: 246, picture: 286, tall: 194 },
} as const;
export type Size = keyof typeof SIZES;

interface Props {
  frame: Frame;
  size: Size;
  /** Of the cell, in CSS pixels. */
  across: number;
  chosen: boolean;
  current: boolean;
  ink: string;
  /** Dragged frames would be let go before or behind this one. */
  drop?: "before" | "after" | undefined;
  /** The set it stands in or for. */
  stack?: Stack | undefined;
  onFold?: (() => void) | undefined;
  onPress: (e: MouseEvent) => void;
  onOpen: () => void;
}

/** One frame on the sheet: picture, grease-pencil mark, number and exposure underneath. */
export const Cell = memo(function Cell({
  frame,
  size: name,
  across,
  chosen,
  current,
  ink,
  drop,
  stack,
  onFold,
  onPress,
  onOpen,
}: Props) {
  const cell = SIZES[name];
  // under the picture, in a wider cell too
  const words = { maxWidth: cell.width - 4 };
  const { width, height, exposure_time_s, f_number } = frame;
  const scale = Math.min(cell.picture / width, cell.tall / height);
  const size = { width: Math.round(width * scale), height: Math.round(height * scale) };
  const badges = [
    frame.made ? "master" : "",
    // what is painted or mended says that it is adjusted too
    frame.adjusted && !frame.passes && !frame.repairs ? "adjusted" : "",
    frame.passes ? "passes" : "",
    frame.repairs ? "repairs" : "",
    frame.versions > 1 ? `${frame.versions} versions` : "",
    frame.delivered ? "delivered" : "",
    frame.folder,
  ].filter(Boolean);
  // the line of the set's name has no room for another above it
  const named = stack !== undefined && (stack.folded || stack.first);
  const told = (
    <>
      {frame.label && (
        <span className="rounded-[2px] px-1 font-medium text-white" style={{ background: ink }}>
          {frame.label}
        </span>
      )}
      <span className="truncate">{badges.join(" \u00b7 ")}</span>
    </>
  );
  const number = frame.name.replace(/\.[^.]+$/, "");
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    <div
      role="gridcell"
      id={`frame-${frame.id}`}
      tabIndex={-1}
      aria-selected={chosen}
      data-frame={frame.id}
      onClick={onPress}
      onDoubleClick={onOpen}
      onKeyDown={() => undefined}
      className={`relative flex flex-col items-center border-2 pt-[5px] ${chosen ? "border-ink bg-white" : current ? "border-rule" : "border-transparent"} ${current ? "outline-offset-[-1px] outline-wax group-focus-visible:outline-2" : ""}`}
      style={{ width: across, height: cell.height - 4 }}
    >
      {drop && (
        <span
          aria-hidden
          className={`absolute -bottom-0.5 -top-0.5 w-[3px] bg-wax ${drop === "before" ? "-left-[3.5px]" : "-right-[3.5px]"}`}
        />
      )}
      <div className="flex items-end justify-center" style={{ height: cell.tall }}>
        <div className="relative" style={size}>
          {stack?.folded && (
            <>
              <span
                aria-hidden
                className="absolute inset-0 translate-x-[5px] -translate-y-[5px] border border-ink3 bg-sheet"
              />
              <span
                aria-hidden
                className="absolute inset-0 translate-x-[2.5px] -translate-y-[2.5px] border border-ink3 bg-sheet"
              />
            </>
          )}
          {frame.thumb_state === "none" || frame.thumb_state === "failed" ? (
            <div className="flex h-full w-full items-center justify-center border border-rule bg-zinc p-1 text-center text-xs text-ink2">
              {frame.thumb_state === "none" ? "small picture is being made" : "cannot be decoded"}
            </div>
          ) : (
            <img
              src={thumbUrl(frame)}
              alt=""
              draggable={false}
              className={`absolute inset-0 m-auto max-h-full max-w-full outline outline-1 outline-black/25 ${frame.mark === "drop" ? "opacity-45 grayscale" : ""}`}
            />
          )}
          <GreasePencil mark={frame.mark} {...size} />
        </div>
      </div>
      <div className="mt-1.5 flex w-full items-baseline gap-1.5 px-1.5 text-xs" style={words}>
        <b className="min-w-0 truncate font-semibold" title={frame.name}>
          {number}
          <span className="sr-only"> {MARK_WORDS[frame.mark]}</span>
        </b>
        <Stars count={frame.stars} />
        <span className="grow" />
        {name !== "small" && (
          <span className="min-w-0 shrink-[100] truncate text-ink2">
            {exposureTime(exposure_time_s)} {f_number ? `f/${f_number}` : frame.file_type}
          </span>
        )}
      </div>
      {!named && (
        <div
          className="flex w-full items-baseline gap-1.5 overflow-hidden whitespace-nowrap px-1.5 text-xs text-ink2"
          style={words}
        >
          {told}
        </div>
      )}
      {stack && (
        <SetLine stack={stack} onFold={onFold}>
          {named && told}
        </SetLine>
      )}
    </div>
  );
});

/** The line that joins the frames of an open set, with its kind and number; a folded one has the words alone. */
function SetLine({ stack, onFold, children }: { stack: Stack; onFold: (() => void) | undefined; children: ReactNode }) {
  const { set, folded, first, last, taken } = stack;
  return (
    <>
      {!folded && (
        <span
          aria-hidden
          className={`absolute bottom-0 h-[9px] border-b-2 border-ink ${first ? "left-2 border-l-2" : "-left-0.5"} ${last ? "right-2 border-r-2" : "-right-0.5"}`}
        />
      )}
      {(folded || first) && (
        <span className="absolute bottom-[-4px] left-3 flex max-w-[92%] items-baseline gap-1.5 whitespace-nowrap bg-sheet text-xs text-ink2">
          <button
            type="button"
            tabIndex={-1}
            onClick={(e) => {
              e.stopPropagation();
              onFold?.();
            }}
            onDoubleClick={(e) => e.stopPropagation()}
            className={`px-1 font-medium hover:underline ${set.state === "proposed" ? "italic text-ink2" : "text-ink"}`}
          >
            {set.name || set.words} {"\u00b7"} {taken} {folded ? "\u25B8" : "\u25C2"}
          </button>
          {children}
        </span>
      )}
    </>
  );
}
