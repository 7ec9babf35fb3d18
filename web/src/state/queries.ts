import { QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Frame, type Frames, type Mark, need } from "../api/client";
import { brought } from "./frames";
import { complain } from "./notices";

export const queryClient = new QueryClient({
  defaultOptions: { queries: { staleTime: 30_000, refetchOnWindowFocus: false, retry: 1 } },
});

export const useShoots = () => useQuery({ queryKey: ["shoots"], queryFn: () => need(api.GET("/api/shoots")) });

export const useFrames = (shoot: number) =>
  useQuery({
    queryKey: ["frames", shoot],
    queryFn: async () => {
      const before = queryClient.getQueryData<Frames>(["frames", shoot]);
      const query = before ? { since: before.stamp } : {};
      return brought(
        before,
        await need(api.GET("/api/shoots/{id}/frames", { params: { path: { id: shoot }, query } })),
      );
    },
    // rows that did not change are the same objects already
    structuralSharing: false,
  });

export const usePresets = () => useQuery({ queryKey: ["presets"], queryFn: () => need(api.GET("/api/presets")) });

export const useLedger = (shoot: number) =>
  useQuery({
    queryKey: ["ledger", shoot],
    queryFn: () => need(api.GET("/api/deliveries", { params: { query: { shoot } } })),
  });

export interface Marking {
  frames: number[];
  mark?: Mark;
  stars?: number;
  label?: string;
}

/** Frames without what a refused marking did to them: marks and stars that were given since stay. */
export function takenBack(now: readonly Frame[], before: readonly Frame[], m: Marking): Frame[] {
  const old = new Map(before.map((f) => [f.id, f]));
  return now.map((f) => {
    const was = m.frames.includes(f.id) ? old.get(f.id) : undefined;
    if (!was) return f;
    const mark = m.mark !== undefined && f.mark === m.mark ? was.mark : f.mark;
    const stars = m.stars !== undefined && f.stars === m.stars ? was.stars : f.stars;
    const label = m.label !== undefined && f.label === m.label ? was.label : f.label;
    return { ...f, mark, stars, label };
  });
}

/** Marks at once in sight, then on the server; taken back when the server refuses. */
export function useMarking(shoot: number) {
  const client = useQueryClient();
  const key = ["frames", shoot];
  return useMutation({
    mutationFn: (m: Marking) =>
      need(
        api.PATCH("/api/frames/marks", {
          body: { frames: m.frames, mark: m.mark ?? null, stars: m.stars ?? null, label: m.label ?? null },
        }),
      ),
    onMutate: (m: Marking) => {
      const before = client.getQueryData<Frames>(key);
      const chosen = new Set(m.frames);
      const change = (f: Frame): Frame =>
        chosen.has(f.id) ? { ...f, mark: m.mark ?? f.mark, stars: m.stars ?? f.stars, label: m.label ?? f.label } : f;
      if (before) client.setQueryData<Frames>(key, { ...before, frames: before.frames.map(change) });
      return before;
    },
    onError: (error, m, before) => {
      const now = client.getQueryData<Frames>(key);
      if (now) client.setQueryData<Frames>(key, { ...now, frames: takenBack(now.frames, before?.frames ?? [], m) });
      complain(error);
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["shoots"] }),
  });
}

/** The address names what the small picture shows, so that the browser may keep it. */
export const thumbUrl = (of: { version: number; thumb: string }): string =>
  `/api/versions/${of.version}/thumb?shows=${of.thumb}`;
