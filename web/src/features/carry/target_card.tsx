import type { Frame } from "../../api/client";
import { thumbUrl } from "../../state/queries";

export type Way = "carry" | "own" | "leave";

interface Props {
  frame: Frame;
  /** What is said under the picture. */
  words: string;
  /** Why it is doubtful; empty when it fits. */
  doubt: string;
  way: Way;
  mayOwn: boolean;
  /** What has come to an end by the carry. */
  ends?: string;
  onLoaded: (image: HTMLImageElement) => void;
  onWay: (way: Way) => void;
}

const WAYS: readonly (readonly [Way, string])[] = [
  ["carry", "as it is"],
  ["own", "own correction"],
  ["leave", "left out"],
];

/** One frame that adjustments go to: its picture, what the fit check says, and what will be done about it. */
export function TargetCard({ frame, words, doubt, way, mayOwn, ends, onLoaded, onWay }: Props) {
  const scale = Math.min(146 / frame.width, 98 / frame.height);
  return (
    <li className={`flex w-[162px] flex-col border p-2 ${doubt ? "border-wax bg-white" : "border-rule bg-white"}`}>
      <div className="flex h-[98px] items-center justify-center">
        <img
          src={thumbUrl(frame)}
          alt=""
          onLoad={(e) => onLoaded(e.currentTarget)}
          width={Math.round(frame.width * scale)}
          height={Math.round(frame.height * scale)}
          className={`max-h-full max-w-full outline outline-1 outline-black/25 ${way === "leave" ? "opacity-35 grayscale" : ""}`}
        />
      </div>
      <b className="mt-1.5 truncate font-semibold">{frame.name.replace(/\.[^.]+$/, "")}</b>
      <span className="min-h-[30px] text-xs text-ink2">{words}</span>
      {doubt && (
        <span className="text-xs font-medium text-wax" title={doubt}>
          {"\u25B3"} does not fit
        </span>
      )}
      {ends && (
        <span className="text-xs font-medium text-wax">
          {"\u25B3"} {ends}
        </span>
      )}
      <span className="grow" />
      <select
        aria-label={`What happens to ${frame.name}`}
        value={way}
        onChange={(e) => onWay(e.currentTarget.value as Way)}
        className="mt-1 h-6 w-full border border-rule bg-sheet text-xs"
      >
        {WAYS.filter(([key]) => key !== "own" || mayOwn).map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </select>
    </li>
  );
}
