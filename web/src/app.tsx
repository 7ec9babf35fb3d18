import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { useEffect, useRef } from "react";
import type { Frames } from "./api/client";
import { BenchPlace } from "./features/bench/bench";
import { ContactSheet } from "./features/contact_sheet/contact_sheet";
import { DeliveryDesk } from "./features/delivery_desk/delivery_desk";
import { Find } from "./features/find/find";
import { FindDialog } from "./features/find/find_dialog";
import { MergeTable } from "./features/merge/merge_table";
import { Shoots } from "./features/shoots/shoots";
import { SideBySide } from "./features/side_by_side/side_by_side";
import { failsUnseen, isActive, listen } from "./state/jobs";
import { tellMade } from "./state/making";
import { complain } from "./state/notices";
import { queryClient } from "./state/queries";
import { useRoute } from "./state/route";
import { onAlong, onSaved } from "./state/savers";
import { toPlace } from "./ui/focus";
import { KeysDialog } from "./ui/keys_dialog";
import { NoticeList } from "./ui/notices";

/** What a job changed is asked for again. */
function useJobEvents() {
  useEffect(
    () =>
      listen((changes) => {
        // the first message names every job of the last weeks: each list is asked for once, not once for each of them
        const asked = new Set<string>();
        for (const change of changes) {
          const { job } = change;
          const ended = !isActive(job);
          const arrives = job.kind === "bring_in" || job.kind === "thumbs";
          if (arrives || (ended && (job.kind === "sets" || job.kind === "merge"))) {
            asked.add("frames");
            if (ended) asked.add("shoots");
          }
          if (ended && job.kind === "deliver") for (const key of ["ledger", "frames", "shoots"]) asked.add(key);
          void tellMade(job);
          if (failsUnseen(change)) complain(`${job.title}: ${job.note}`);
        }
        for (const key of asked) void queryClient.invalidateQueries({ queryKey: [key] });
      }),
    [],
  );
  // what was edited along shows in lists too
  useEffect(() => onAlong(() => void queryClient.invalidateQueries({ queryKey: ["frames"] })), []);
  // a saved change shows in small pictures and in the ledger's states, wherever one is by then
  useEffect(
    () =>
      onSaved(({ id, thumb, adjusted }) => {
        queryClient.setQueriesData<Frames>(
          { queryKey: ["frames"] },
          (list) =>
            list && { ...list, frames: list.frames.map((f) => (f.version === id ? { ...f, thumb, adjusted } : f)) },
        );
        const covers = queryClient.getQueriesData<Frames>({ queryKey: ["frames"] });
        // another version than the cover: what the frame's row says of it is asked for
        const cover = covers.some(([, list]) => list?.frames.some((f) => f.version === id));
        for (const key of ["ledger", "shoots", "versions", ...(cover ? [] : ["frames"])])
          void queryClient.invalidateQueries({ queryKey: [key] });
      }),
    [],
  );
}

export function App() {
  const route = useRoute();
  useJobEvents();
  // the keyboard comes along to another place (and to another shoot), not to another frame of the bench
  const where = "shoot" in route ? `${route.place} ${route.shoot}` : route.place;
  const before = useRef<string | null>(null);
  useEffect(() => {
    if (before.current !== null && document.activeElement === document.body) toPlace();
    before.current = where;
  }, [where]);
  return (
    <QueryClientProvider client={queryClient}>
      <Tooltip.Provider delayDuration={500}>
        {route.place === "shoots" && <Shoots />}
        {route.place === "sheet" && <ContactSheet key={route.shoot} shoot={route.shoot} />}
        {route.place === "bench" && (
          <BenchPlace shoot={route.shoot} frame={route.frame} step={route.step} version={route.version} />
        )}
        {route.place === "find" && <Find asked={route.search} />}
        {route.place === "side" && <SideBySide key={route.shoot} shoot={route.shoot} frames={route.frames} />}
        {route.place === "merge" && (
          <MergeTable
            key={`${route.frames.join()} ${route.as} ${route.again ?? ""}`}
            shoot={route.shoot}
            frames={route.frames}
            as={route.as}
            again={route.again}
          />
        )}
        {route.place === "deliver" && (
          <DeliveryDesk key={route.shoot} shoot={route.shoot} frames={route.frames} version={route.version} />
        )}
        <FindDialog />
        <KeysDialog />
        <NoticeList />
      </Tooltip.Provider>
    </QueryClientProvider>
  );
}
