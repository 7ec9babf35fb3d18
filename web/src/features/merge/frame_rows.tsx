import type { Frame } from "../../api/client";
import { thumbUrl } from "../../state/queries";
import { exposureTime } from "../../ui/number";
import type { Report } from "./judgement";

interface Props {
  frames: readonly Frame[];
  report: Report | null;
  onSwitch: (frame: number, on: boolean) => void;
}

const signed = (v: number): string => {
  const size = Math.abs(v).toFixed(1);
  return size === "0.0" ? size : `${v < 0 ? "\u2212" : "+"}${size}`;
};

/** The frames of a merge: a box each, and what was found about it. */
export function FrameRows({ frames, report, onSwitch }: Props) {
  return (
    <ul aria-label="Frames of the merge">
      {frames.map((frame, i) => {
        const row = report?.frames[i];
        const out = row && !row.takes_part;
        return (
          <li key={frame.id} className={`border-b border-rule ${out ? "bg-wax-soft" : ""}`}>
            <label className="grid grid-cols-[18px_88px_1fr] items-center gap-x-2.5 px-3.5 py-1.5">
              <input
                type="checkbox"
                aria-label={`${frame.name} takes part`}
                checked={row ? row.takes_part : true}
                disabled={!row}
                onChange={(e) => onSwitch(i, e.currentTarget.checked)}
              />
              <img
                src={thumbUrl(frame)}
                alt=""
                className={`h-12 w-[88px] object-contain ${out ? "opacity-50 grayscale" : ""}`}
              />
              <dl className="grid min-w-0 grid-cols-[1fr_auto] gap-x-2 text-xs leading-[1.45]">
                <dt className="truncate font-semibold text-ink">{frame.name.replace(/\.[^.]+$/, "")}</dt>
                <dd className="text-ink2">{exposureTime(frame.exposure_time_s)}</dd>
                <dt className="text-ink2">exposure</dt>
                <dd className="font-medium">
                  {row ? (row.reference ? "reference" : `${signed(row.exposure_ev)} EV`) : ""}
                </dd>
                <dt className="text-ink2">sharpness</dt>
                <dd className={`font-medium ${row && row.sharpness < 0.8 ? "text-wax" : ""}`}>
                  {row ? `${Math.round(row.sharpness * 100)} %` : ""}
                </dd>
              </dl>
              {row?.reason && <span className="col-span-2 col-start-2 pt-0.5 text-xs text-wax">{row.reason}</span>}
            </label>
          </li>
        );
      })}
    </ul>
  );
}
