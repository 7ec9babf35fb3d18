import { useMemo, useState } from "react";
import type { Frame } from "../../api/client";
import { carry } from "../../state/carrying";
import { thumbUrl } from "../../state/queries";
import { Button } from "../../ui/controls";
import { SheetDialog } from "../../ui/sheet_dialog";
import { type EvenRow, useComparison } from "./comparing";

const signed = (v: number, digits: number) => `${v < 0 ? "\u2212" : "+"}${Math.abs(v).toFixed(digits)}`;

/** Makes frames of one subject look like a reference among them: exposure, and the balance of the light. */
export function EvenSheet({
  frames,
  reference,
  onClose,
}: {
  frames: readonly Frame[];
  reference: Frame | null;
  onClose: () => void;
}) {
  const [by, setBy] = useState(reference?.id ?? frames[0]?.id ?? 0);
  const [balance, setBalance] = useState(true);
  const model = frames.find((f) => f.id === by) ?? frames[0];
  const others = useMemo(() => frames.filter((f) => f.id !== model?.id), [frames, model]);
  const versions = useMemo(() => others.map((f) => f.version), [others]);
  const found = useComparison<EvenRow>("even", model?.version ?? null, versions, balance);
  const ready = others.filter((f) => Object.keys(found.rows?.get(f.version)?.values ?? {}).length > 0);
  const worst = Math.max(0, ...[...(found.rows?.values() ?? [])].map((r) => Math.abs(r.left_over_ev)));
  const about = found.rows
    ? `${ready.length} of ${others.length} can be evened out; at most ${worst.toFixed(2)} EV is left over.`
    : found.failed || `Measuring the light: ${Math.round(found.progress * 100)} %`;
  const run = async () => {
    const done = await carry({
      words: `Evened out to ${model?.name}`,
      targets: ready.map((f) => ({ version: f.version, values: found.rows?.get(f.version)?.values ?? {} })),
    });
    if (done) onClose();
  };
  return (
    <SheetDialog
      title="Even out light"
      about={<span role="status">{about}</span>}
      onClose={onClose}
      foot={
        <>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={balance} onChange={(e) => setBalance(e.currentTarget.checked)} />
            colour of the light too
          </label>
          <span className="grow" />
          <Button onClick={onClose}>Cancel</Button>
          <Button ink disabled={!ready.length} onClick={() => void run()}>
            Even out {ready.length} frame{ready.length === 1 ? "" : "s"}
          </Button>
        </>
      }
    >
      <div className="flex items-center gap-3 border-b border-rule px-5 py-2">
        <label className="flex items-center gap-2 text-ink2">
          to look like
          <select
            value={model?.id ?? 0}
            onChange={(e) => setBy(Number(e.currentTarget.value))}
            className="h-7 border border-rule bg-sheet px-1 text-ink"
          >
            {frames.map((f) => (
              <option key={f.id} value={f.id}>
                {f.name}
              </option>
            ))}
          </select>
        </label>
      </div>
      <div className="scroll-plain min-h-0 grow px-5 py-2">
        <table className="w-full border-collapse text-left">
          <thead className="text-xs text-ink2">
            <tr>
              <th className="w-24 py-1 font-medium">Frame</th>
              <th className="font-medium" />
              <th className="w-28 text-right font-medium">Exposure</th>
              <th className="w-32 text-right font-medium">Temperature</th>
              <th className="w-20 text-right font-medium">Tint</th>
              <th className="w-28 text-right font-medium">Left over</th>
            </tr>
          </thead>
          <tbody>
            {others.map((f) => {
              const r = found.rows?.get(f.version);
              const { tone, balance: colour } = r?.values ?? {};
              const reason = r?.reason || found.refused.get(f.version);
              return (
                <tr key={f.id} className="border-t border-rule">
                  <td className="py-1">
                    <img src={thumbUrl(f)} alt="" className="h-10 outline outline-1 outline-black/25" />
                  </td>
                  <td>
                    <b className="font-semibold">{f.name}</b>
                    {reason && <span className="block text-xs text-wax">{reason}</span>}
                  </td>
                  <td className="text-right">
                    {tone?.exposure_ev === undefined ? "" : `${signed(tone.exposure_ev, 2)} EV`}
                  </td>
                  <td className="text-right">
                    {colour?.temperature_kelvin === undefined ? "" : `${colour.temperature_kelvin} K`}
                  </td>
                  <td className="text-right">{colour?.tint === undefined ? "" : signed(colour.tint, 1)}</td>
                  <td className="text-right">{r && !reason ? `${signed(r.left_over_ev, 3)} EV` : ""}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </SheetDialog>
  );
}
