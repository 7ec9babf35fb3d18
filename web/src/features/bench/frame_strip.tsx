import { useVirtualizer } from "@tanstack/react-virtual";
import { type MouseEvent, useEffect, useRef } from "react";
import type { Frame } from "../../api/client";
import { useBench } from "../../state/bench";
import { thumbUrl } from "../../state/queries";
import { useChosen, useSelection } from "../../state/selection";
import { GreasePencil, MARK_WORDS } from "../../ui/marks";

const ROW = 88;
const PICTURE = { width: 84, height: 56 };

/** Where in a name the part lies that tells frames apart: "0042" of "TW-0042.dng". */
function short(name: string): [number, number] {
  const end = name.lastIndexOf(".");
  const stem = end > 0 ? end : name.length;
  return [name.lastIndexOf("-", stem) + 1, stem];
}

/** The shoot's frames, upright at the right. */
export function FrameStrip({
  shoot,
  frames,
  current,
  tied,
  onShow,
}: {
  shoot: number;
  frames: Frame[];
  current: number;
  /** Frames that are edited together, by id. */
  tied: ReadonlyMap<number, number>;
  onShow: (frame: Frame) => void;
}) {
  const chosen = useChosen(shoot);
  const press = (frame: Frame, e: MouseEvent) => {
    const { choose } = useSelection.getState();
    if (e.ctrlKey || e.metaKey) {
      const set = new Set(chosen.size ? chosen : [current]);
      if (!set.delete(frame.id)) set.add(frame.id);
      choose(shoot, set);
    } else if (e.shiftKey) {
      const [a, b] = [frames.findIndex((f) => f.id === current), frames.indexOf(frame)].sort((x, y) => x - y);
      choose(shoot, [...chosen, ...frames.slice(a, (b ?? 0) + 1).map((f) => f.id)]);
    } else onShow(frame);
  };
  const scroller = useRef<HTMLDivElement>(null);
  const version = useBench((s) => s.version);
  const virtual = useVirtualizer({
    count: frames.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 4,
    paddingStart: 8,
  });
  const at = frames.findIndex((f) => f.id === current);
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [at, virtual]);
  return (
    <nav
      ref={scroller}
      tabIndex={0}
      aria-label="Frames of the shoot"
      className="scroll-plain border-l border-rule bg-sheet outline-offset-[-2px] contain-strict"
    >
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const frame = frames[item.index] as Frame;
          const mine = version?.frame === frame.id ? { ...frame, thumb: version.thumb } : frame;
          const scale = Math.min(PICTURE.width / frame.width, PICTURE.height / frame.height);
          const size = { width: frame.width * scale, height: frame.height * scale };
          return (
            <button
              key={frame.id}
              type="button"
              aria-current={frame.id === current ? "true" : undefined}
              aria-pressed={chosen.has(frame.id)}
              onClick={(e) => press(frame, e)}
              className={`absolute left-1.5 right-1.5 flex flex-col items-center rounded-[2px] border-2 pt-[3px] ${frame.id === current ? "border-ink bg-white" : chosen.has(frame.id) ? "border-ink3 border-dashed bg-white/70" : "border-transparent hover:bg-white/60"}`}
              style={{ top: item.start, height: ROW - 4 }}
            >
              {tied.has(frame.id) && (
                <span aria-hidden className="absolute -bottom-1.5 -left-[5px] -top-1.5 w-[3px] bg-wax" />
              )}
              <span className="flex items-center justify-center" style={PICTURE}>
                <span className="relative block" style={size}>
                  {frame.thumb_state === "none" || frame.thumb_state === "failed" ? (
                    <span className="block h-full w-full border border-rule bg-zinc" />
                  ) : (
                    <img
                      src={thumbUrl(mine)}
                      alt=""
                      draggable={false}
                      className="absolute inset-0 m-auto block max-h-full max-w-full outline outline-1 outline-black/30"
                    />
                  )}
                  {frame.mark !== "keep" && <GreasePencil mark={frame.mark} {...size} />}
                </span>
              </span>
              <span className="flex w-[84px] items-baseline justify-between pt-1 text-xs text-ink2">
                <span className={`whitespace-nowrap ${frame.id === current ? "font-semibold text-ink" : ""}`}>
                  {frame.mark === "keep" && (
                    <span
                      className="mr-1 inline-block h-[8px] w-[11px] rounded-[50%] border-[1.6px] border-wax"
                      aria-hidden
                    />
                  )}
                  <span className="sr-only">{frame.name.slice(0, short(frame.name)[0])}</span>
                  {frame.name.slice(...short(frame.name))}
                  <span className="sr-only">
                    {frame.name.slice(short(frame.name)[1])} {MARK_WORDS[frame.mark]}
                    {tied.has(frame.id) ? ", edited together" : ""}
                  </span>
                </span>
                {frame.versions > 1 && (
                  <span
                    role="img"
                    aria-label={`${frame.versions} versions`}
                    className="rounded-[2px] border border-ink3 px-0.5"
                  >
                    {frame.versions}
                  </span>
                )}
                {frame.stars > 0 && (
                  <span role="img" aria-label={`${frame.stars} stars`}>
                    {frame.stars}
                    {"\u2605"}
                  </span>
                )}
              </span>
            </button>
          );
        })}
      </div>
    </nav>
  );
}
