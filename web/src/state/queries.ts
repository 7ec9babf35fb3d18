import { QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Frame, type Frames, type Mark, need } from "../api/client";
import { brought } from "./frames";
import { complain } from "./notices";

export const queryClient = new QueryClient({
  defaultOptions: { queries: { staleTime: 30_000, refetchOnWindowFocus: false, retry: 1 } },
});

/** All shoots with their counts, which the server goes through every frame for: not `wanted` where they are not in sight. */
export const useShoots = (wanted = true) =>
  useQuery({ queryKey: ["shoots"], queryFn: () => need(api.GET("/api/shoots")), enabled: wanted });

const framesOf = (shoot: number) => ({
  queryKey: ["frames", shoot],
  queryFn: async () => {
    const asked = performance.now();
    const before = queryClient.getQueryData<Frames>(["frames", shoot]);
    const query = before ? { since: before.stamp } : {};
    const answer = await need(api.GET("/api/shoots/{id}/frames", { params: { path: { id: shoot }, query } }));
    // what was marked meanwhile is in the list as it is now, and what the server read before that does not undo it
    const now = before ? (queryClient.getQueryData<Frames>(["frames", shoot]) ?? before) : undefined;
    return marked(brought(now, answer), newerThan(asked));
  },
  // rows that did not change are the same objects already
  structuralSharing: false,
});

export const useFrames = (shoot: number) => useQuery(framesOf(shoot));

/** Asks for a shoot's list before it is opened, when a hand is on the way to it. */
export const expectFrames = (shoot: number) => queryClient.prefetchQuery(framesOf(shoot));

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

interface Sent extends Marking {
  /** When the server had it; null while it has not. */
  done: number | null;
}

let sent: Sent[] = [];

/** Markings that the server may not have had when something was asked at a time. */
export const newerThan = (asked: number): Marking[] => sent.filter((m) => m.done === null || m.done > asked);

/** Remembers a marking until no answer can be older; the function returned is called when the server has it, or refused. */
export function markingSent(m: Marking): (kept: boolean) => void {
  const entry: Sent = { ...m, done: null };
  sent = [...sent.filter((e) => e.done === null || performance.now() - e.done < 60_000), entry];
  return (kept) => {
    if (kept) entry.done = performance.now();
    else sent = sent.filter((e) => e !== entry);
  };
}

const withMarks = (f: Frame, m: Marking): Frame => ({
  ...f,
  mark: m.mark ?? f.mark,
  stars: m.stars ?? f.stars,
  label: m.label ?? f.label,
});

/** A list with markings put on it, in the order they were made. */
export function marked(list: Frames, markings: readonly Marking[]): Frames {
  let frames = list.frames;
  for (const m of markings) {
    const meant = new Set(m.frames);
    frames = frames.map((f) => (meant.has(f.id) ? withMarks(f, m) : f));
  }
  return frames === list.frames ? list : { ...list, frames };
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
      if (before) client.setQueryData<Frames>(key, marked(before, [m]));
      return { before, settled: markingSent(m) };
    },
    onSuccess: (_, __, made) => made.settled(true),
    onError: (error, m, made) => {
      made?.settled(false);
      const now = client.getQueryData<Frames>(key);
      if (now)
        client.setQueryData<Frames>(key, { ...now, frames: takenBack(now.frames, made?.before?.frames ?? [], m) });
      complain(error);
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["shoots"] }),
  });
}

/** The address names what the small picture shows, so that the browser may keep it. */
export const thumbUrl = (of: { version: number; thumb: string }): string =>
  `/api/versions/${of.version}/thumb?shows=${of.thumb}`;
