import type { Frame } from "../../api/client";
import { thumbUrl } from "../../state/queries";
import { exposureTime } from "../../ui/number";
import { isOn, type Options, type Report, type SeriesOptions } from "./judgement";

type Role = NonNullable<SeriesOptions["roles"]>[string];
const ROLES: readonly Role[] = ["light", "dark", "flat", "bias", "land"];

interface Props {
  frames: readonly Frame[];
  options: Options;
  /** Whether the report is of these options. */
  settled: boolean;
  report: Report | null;
  onSwitch: (frame: number, on: boolean) => void;
  /** What a frame of a series is; null where frames have no such roles. */
  onRole: ((frame: number, role: Role | null) => void) | null;
}

type Row = Report["frames"][number];

/** What a frame of a series is called by hand. */
const given = (options: Options, frame: number): Role | undefined =>
  options.kind === "series" ? options.roles?.[frame] : undefined;

const signed = (v: number, digits = 1): string => {
  const size = Math.abs(v).toFixed(digits);
  return Number(size) === 0 ? size : `${v < 0 ? "\u2212" : "+"}${size}`;
};

/** Two figures of a frame in words, by the kind of merge; the third says whether the second is out of the ordinary. */
function figures(kind: Report["kind"], row: Row): [string, string, boolean][] {
  if (!row.takes_part && row.sharpness === 0) return []; // it was not compared
  const light: [string, string, boolean] = [
    "exposure",
    row.reference ? "reference" : `${signed(row.exposure_ev)} EV`,
    false,
  ];
  if (kind === "focus")
    return [
      ["size", row.reference ? "reference" : `${signed(100 * (row.scale - 1), 2)} %`, false],
      ["sharpest in", `${(100 * row.sharpness).toFixed(row.sharpness < 0.01 ? 1 : 0)} %`, row.sharpness < 0.004],
    ];
  if (kind === "series")
    return row.role === "light"
      ? [
          light,
          [row.stars ? `${row.stars} stars, moved` : "moved", `${row.moved_px.toFixed(1)} px`, row.residual_px > 1],
        ]
      : [];
  if (row.sharpness === 0) return [light]; // taken although it cannot be compared
  return [light, ["sharpness", `${Math.round(row.sharpness * 100)} %`, row.sharpness < 0.8]];
}

/** The frames of a merge: a box each, and what was found about it. */
export function FrameRows({ frames, options, settled, report, onSwitch, onRole }: Props) {
  return (
    <ul aria-label="Frames of the merge">
      {frames.map((frame, i) => {
        const row = report?.frames[i];
        const on = isOn(options, i, row, settled);
        const out = !on || (row && !row.takes_part);
        return (
          <li key={frame.id} className={`border-b border-rule ${out ? "bg-wax-soft" : ""}`}>
            <label className="grid grid-cols-[18px_88px_1fr] items-center gap-x-2.5 px-3.5 py-1.5">
              <input
                type="checkbox"
                aria-label={`${frame.name} takes part`}
                checked={on}
                onChange={(e) => onSwitch(i, e.currentTarget.checked)}
              />
              <img
                src={thumbUrl(frame)}
                alt=""
                className={`h-12 w-[88px] object-contain ${out ? "opacity-50 grayscale" : ""}`}
              />
              <dl className="grid min-w-0 grid-cols-[1fr_auto] gap-x-2 text-xs leading-[1.45] [&>dd]:text-right [&>dd]:tabular-nums">
                <dt className="truncate font-semibold text-ink">{frame.name.replace(/\.[^.]+$/, "")}</dt>
                <dd className="text-ink2">{exposureTime(frame.exposure_time_s)}</dd>
                {row &&
                  report &&
                  figures(report.kind, row).map(([name, value, odd]) => [
                    <dt key={name} className="text-ink2">
                      {name}
                    </dt>,
                    <dd key={`${name} value`} className={`font-medium ${odd ? "text-wax" : ""}`}>
                      {value}
                    </dd>,
                  ])}
              </dl>
              {row?.reason && <span className="col-span-2 col-start-2 pt-0.5 text-xs text-wax">{row.reason}</span>}
            </label>
            {onRole && (
              <label className="-mt-1 flex items-center gap-2 px-3.5 pb-1 pl-[144px] text-xs text-ink2">
                <span>is a</span>
                <select
                  aria-label={`${frame.name} is`}
                  value={given(options, i) ?? ""}
                  onChange={(e) => onRole(i, (e.currentTarget.value || null) as Role | null)}
                  className="h-6 border border-rule bg-sheet px-1 text-ink"
                >
                  <option value="">{row && !given(options, i) ? `${row.role}, as found` : "as found"}</option>
                  {ROLES.map((role) => (
                    <option key={role} value={role}>
                      {role}
                    </option>
                  ))}
                </select>
              </label>
            )}
          </li>
        );
      })}
    </ul>
  );
}
