import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, type Frame, need, type PlanRow, type Preset } from "../../api/client";
import type { components } from "../../api/generated/api";
import { isActive, useJobs } from "../../state/jobs";
import { complain, useNotices } from "../../state/notices";
import { once } from "../../state/once";
import { thumbUrl, useFrames, useLedger, usePresets } from "../../state/queries";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { bytes } from "../../ui/number";
import { TopBar } from "../../ui/top_bar";
import { JobRow, JobsButton } from "../jobs/jobs_button";
import { PresetCard } from "./preset_card";
import { remember, type Way, waysOf } from "./ways";

type VersionOf = components["schemas"]["VersionOfOut"];
const titleOf = (v: VersionOf): string => `${v.frame_name}: ${v.name || `version ${v.number}`}`;

/** Every version of some frames; null until they are there, and not asked for when each frame has one. */
function useVersionsOf(frames: number[], several: boolean): VersionOf[] | null {
  const { data } = useQuery({
    queryKey: ["versions", "of", frames],
    queryFn: () => need(api.POST("/api/versions/of-frames", { body: { frames } })),
    enabled: several,
    staleTime: 0,
  });
  return data?.versions ?? null;
}

/** What to deliver, how, under which names; running deliveries; the ledger. */
export function DeliveryDesk({
  shoot,
  frames: ids,
  version,
}: {
  shoot: number;
  frames: number[];
  version?: number | undefined;
}) {
  const { data } = useFrames(shoot);
  const presets = usePresets();
  const ledger = useLedger(shoot);
  const jobs = useJobs((s) => s.jobs).filter((j) => j.kind === "deliver");
  const [ways, setWays] = useState<Way[]>([]);
  const [which, setWhich] = useState<"this" | "covers" | "all">(version ? "this" : "covers");
  const [plan, setPlan] = useState<PlanRow[]>([]);
  const all = data?.frames ?? [];
  const chosen = useMemo(() => {
    const list = data?.frames ?? [];
    const named = ids.map((id) => list.find((f) => f.id === id)).filter((f): f is Frame => f !== undefined);
    return ids.length ? named : list.filter((f) => f.mark === "keep");
  }, [data, ids]);
  useEffect(() => {
    if (presets.data && !ways.length) setWays(waysOf(presets.data.presets));
  }, [presets.data, ways.length]);
  const on = useMemo(() => ways.filter((w) => w.on).map((w) => w.preset), [ways]);
  const several = chosen.some((f) => f.versions > 1);
  const list = useVersionsOf(
    chosen.map((f) => f.id),
    several,
  );
  const shown = useMemo(() => {
    const rows = list?.filter((v) => which === "all" || (which === "this" ? v.id === version : v.cover));
    if (several) return rows?.map((v) => ({ version: v.id, thumb: v.thumb, name: titleOf(v) })) ?? [];
    return chosen.map((f) => ({ version: f.version, thumb: f.thumb, name: f.name }));
  }, [list, which, version, several, chosen]);
  const versions = useMemo(() => shown.map((v) => v.version), [shown]);
  useEffect(() => {
    let current = true;
    if (!versions.length || !on.length) {
      setPlan([]);
      return;
    }
    need(api.POST("/api/deliveries/plan", { body: { versions, presets: on } }))
      .then((p) => current && setPlan(p.files))
      .catch(complain);
    return () => {
      current = false;
    };
  }, [versions, on]);
  const change = (i: number, to: Partial<Way>) => {
    const next = ways.map((w, k) => (k === i ? { ...w, ...to } : w));
    setWays(next);
    remember(next, presets.data?.presets ?? []);
  };
  const deliver = async (list: number[], how: Preset[]) => {
    try {
      // a recipe that was changed since is another delivery
      const thumbs = list.map((v) => [...shown, ...all].find((f) => f.version === v)?.thumb);
      const job = await once(["deliver", list, thumbs, how], (request_key) =>
        need(api.POST("/api/deliveries", { body: { versions: list, presets: how, request_key } })),
      );
      useNotices.getState().say(`${job.title}: started.`);
    } catch (error) {
      complain(error);
    }
  };
  const shownJobs = jobs.filter((j, i) => isActive(j) || (j.state !== "done" && i < 3));
  return (
    <div className="flex h-full flex-col">
      <TopBar
        crumbs={[
          ["Shoots", { place: "shoots" }],
          [data?.name ?? "", { place: "sheet", shoot }],
          ["Delivery desk", null],
        ]}
      >
        <JobsButton />
        <Button ink disabled={!plan.length} onClick={() => deliver(versions, on)}>
          Deliver {plan.length || ""} {plan.length === 1 ? "file" : "files"}
        </Button>
      </TopBar>
      <main className="grid min-h-0 grow grid-cols-[300px_minmax(0,1fr)]">
        <section aria-label="Presets" className="scroll-plain border-r border-rule bg-paper p-4">
          <h2 tabIndex={-1} data-place-start className="mb-2 font-slab text-[19px] font-semibold">
            How
          </h2>
          <div className="flex flex-col gap-2.5">
            {ways.map((way, i) => (
              <PresetCard
                key={way.preset.name}
                on={way.on}
                preset={way.preset}
                plain={presets.data?.presets.find((p) => p.name === way.preset.name) ?? way.preset}
                spaces={presets.data?.spaces ?? {}}
                onChange={(to) => change(i, to)}
              />
            ))}
          </div>
        </section>
        <div className="scroll-plain min-w-0 px-6 py-4">
          <section aria-label="To deliver">
            <h2 className="mb-2 font-slab text-[19px] font-semibold">
              To deliver
              <span className="ml-3 font-sans text-sm font-normal text-ink2">
                {ids.length
                  ? `${chosen.length} chosen frame${chosen.length === 1 ? "" : "s"}`
                  : chosen.length
                    ? `all ${chosen.length} kept frames`
                    : "no frame is chosen or kept"}
              </span>
            </h2>
            {several && (
              <label className="mb-2 flex items-center gap-2">
                <span className="text-ink2">versions</span>
                <select
                  value={which}
                  onChange={(e) => setWhich(e.currentTarget.value as typeof which)}
                  className="h-7 border border-rule bg-sheet px-1"
                >
                  {version && <option value="this">the one on the bench</option>}
                  <option value="covers">{chosen.length === 1 ? "the cover" : "the cover of each"}</option>
                  <option value="all">all {list?.length}</option>
                </select>
              </label>
            )}
            {chosen.length === 0 && all.length > 0 && (
              <p className="text-ink2">
                Choose frames on the{" "}
                <button type="button" className="underline" onClick={() => go({ place: "sheet", shoot })}>
                  contact sheet
                </button>
                , or mark some as kept.
              </p>
            )}
            <div className="flex flex-wrap gap-2">
              {shown.slice(0, 14).map((v) => (
                <img
                  key={v.version}
                  src={thumbUrl(v)}
                  alt={v.name}
                  title={v.name}
                  className="h-16 border border-rule"
                />
              ))}
              {shown.length > 14 && <span className="self-center text-ink2">and {shown.length - 14} more</span>}
            </div>
            {plan.length > 0 && (
              <table className="mt-3 w-full max-w-3xl text-sm">
                <thead>
                  <tr className="border-b border-ink text-left text-ink2">
                    <th className="py-1 font-medium">File</th>
                    <th className="font-medium">How</th>
                    <th className="text-right font-medium">Pixels</th>
                  </tr>
                </thead>
                <tbody>
                  {plan.slice(0, 60).map((row) => (
                    <tr key={`${row.version} ${row.file} ${row.preset}`} className="border-b border-rule">
                      <td className="py-1 font-medium">{row.file}</td>
                      <td>{row.preset}</td>
                      <td className="text-right">
                        {row.width} {"\u00d7"} {row.height}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </section>
          {shownJobs.length > 0 && (
            <section aria-label="Running deliveries" className="mt-5 max-w-3xl">
              <ul className="flex flex-col gap-2">
                {shownJobs.map((job) => (
                  <JobRow key={job.id} job={job} />
                ))}
              </ul>
            </section>
          )}
          <section aria-label="Ledger" className="mt-7">
            <h2 className="mb-1 font-slab text-[19px] font-semibold">Ledger</h2>
            {ledger.data?.deliveries.length === 0 && (
              <p className="text-ink2">Nothing of this shoot was delivered yet.</p>
            )}
            {!!ledger.data?.deliveries.length && (
              <table className="w-full max-w-4xl text-sm">
                <thead>
                  <tr className="border-b border-ink text-left text-ink2">
                    <th className="py-1 font-medium">File</th>
                    <th className="font-medium">How</th>
                    <th className="text-right font-medium">Pixels</th>
                    <th className="text-right font-medium">Size</th>
                    <th className="pl-6 font-medium">State</th>
                    <th className="font-medium">
                      <span className="sr-only">What to do</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {ledger.data.deliveries.map((d) => (
                    <tr key={d.id} className="border-b border-rule">
                      <td className="py-1 font-medium">{d.file}</td>
                      <td>{d.preset}</td>
                      <td className="text-right">
                        {d.width} {"\u00d7"} {d.height}
                      </td>
                      <td className="text-right">{bytes(d.size_bytes)}</td>
                      <td className="pl-6">
                        {d.stale ? <b className="font-semibold text-wax">older than the picture</b> : "current"}
                      </td>
                      <td className="py-0.5 text-right">
                        {d.stale && (
                          <Button quiet className="!h-6" onClick={() => deliver([d.version], [d.settings])}>
                            Make again
                          </Button>
                        )}
                        <a
                          href={`/api/deliveries/${d.id}/file`}
                          className="ml-2 underline"
                          aria-label={`Download ${d.file}`}
                        >
                          Download
                        </a>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </section>
        </div>
      </main>
    </div>
  );
}
