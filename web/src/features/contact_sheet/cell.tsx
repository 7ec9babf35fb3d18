import { type MouseEvent, memo } from "react";
import type { Frame } from "../../api/client";
import { thumbUrl } from "../../state/queries";
import { GreasePencil, MARK_WORDS, Stars } from "../../ui/marks";
import { exposureTime } from "../../ui/number";

/** Room of one frame at each of the three sizes, in CSS pixels. */
export const SIZES = {
  small: { width: 122, height: 122, picture: 110, tall: 74 },
  medium: { width: 178, height: 162, picture: 164, tall: 110 },
  large: { width: 302, height: 246, picture: 286, tall: 194 },
} as const;
export type Size = keyof typeof SIZES;

interface Props {
  frame: Frame;
  size: Size;
  chosen: boolean;
  current: boolean;
  ink: string;
  onPress: (e: MouseEvent) => void;
  onOpen: () => void;
}

/** One frame on the sheet: picture, grease-pencil mark, number and exposure underneath. */
export const Cell = memo(function Cell({ frame, size: name, chosen, current, ink, onPress, onOpen }: Props) {
  const cell = SIZES[name];
  const { width, height, exposure_time_s, f_number } = frame;
  const scale = Math.min(cell.picture / width, cell.tall / height);
  const size = { width: Math.round(width * scale), height: Math.round(height * scale) };
  const badges = [
    frame.adjusted ? "adjusted" : "",
    frame.versions > 1 ? `${frame.versions} versions` : "",
    frame.delivered ? "delivered" : "",
  ].filter(Boolean);
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
      className={`flex flex-col items-center border-2 pt-[5px] ${chosen ? "border-ink bg-white" : current ? "border-rule" : "border-transparent"} ${current ? "outline-offset-[-1px] outline-wax group-focus-visible:outline-2" : ""}`}
      style={{ width: cell.width, height: cell.height - 4 }}
    >
      <div className="flex items-end justify-center" style={{ height: cell.tall }}>
        <div className="relative" style={size}>
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
      <div className="mt-1.5 flex w-full items-baseline gap-1.5 px-1.5 text-xs">
        <b className="whitespace-nowrap font-semibold">
          {number}
          <span className="sr-only"> {MARK_WORDS[frame.mark]}</span>
        </b>
        <Stars count={frame.stars} />
        <span className="grow" />
        {name !== "small" && (
          <span className="truncate text-ink2">
            {exposureTime(exposure_time_s)} {f_number ? `f/${f_number}` : frame.file_type}
          </span>
        )}
      </div>
      <div className="flex w-full items-baseline gap-1.5 overflow-hidden whitespace-nowrap px-1.5 text-xs text-ink2">
        {frame.label && (
          <span className="rounded-[2px] px-1 font-medium text-white" style={{ background: ink }}>
            {frame.label}
          </span>
        )}
        <span className="truncate">{badges.join(" \u00b7 ")}</span>
      </div>
    </div>
  );
});
