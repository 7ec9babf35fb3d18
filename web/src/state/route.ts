import { useSyncExternalStore } from "react";

/** Addresses name the place, so that back, reload and links work. */
/** What frames can be merged as. */
export const MERGE_KINDS = ["bracket", "panorama", "focus", "series"] as const;
export type MergeKind = (typeof MERGE_KINDS)[number];

export type Route =
  | { place: "shoots" }
  /** ``search`` is what is looked for, as JSON. */
  | { place: "find"; search: string }
  | { place: "sheet"; shoot: number }
  | { place: "bench"; shoot: number; frame: number; step: string; version?: number | undefined }
  | { place: "side"; shoot: number; frames: number[] }
  /** ``again`` is a master that is made anew. */
  | { place: "merge"; shoot: number; frames: number[]; as: MergeKind; again?: number | undefined }
  /** ``version`` is the one to deliver of the one frame. */
  | { place: "deliver"; shoot: number; frames: number[]; version?: number | undefined };

export function parse(url: string): Route {
  const { pathname, searchParams } = new URL(url, "http://localhost");
  const parts = pathname.split("/").filter(Boolean);
  if (parts[0] === "find") return { place: "find", search: searchParams.get("for") ?? "" };
  const shoot = Number(parts[1]);
  if (parts[0] !== "shoots" || !Number.isInteger(shoot) || shoot < 1) return { place: "shoots" };
  if (parts[2] === "frames" && Number(parts[3]) >= 1)
    return {
      place: "bench",
      shoot,
      frame: Number(parts[3]),
      step: searchParams.get("step") ?? "tone",
      version: Number(searchParams.get("version")) || undefined,
    };
  if (parts[2] === "deliver" || parts[2] === "side" || parts[2] === "merge") {
    const frames = (searchParams.get("frames") ?? "").split(",").map(Number).filter(Boolean);
    if (parts[2] === "side") return { place: "side", shoot, frames };
    if (parts[2] === "merge") {
      const as = MERGE_KINDS.find((kind) => kind === searchParams.get("as")) ?? "bracket";
      return { place: "merge", shoot, frames, as, again: Number(searchParams.get("again")) || undefined };
    }
    return { place: "deliver", shoot, frames, version: Number(searchParams.get("version")) || undefined };
  }
  return { place: "sheet", shoot };
}

function query(parts: Record<string, string | number | undefined>): string {
  const given = Object.entries(parts).filter(([, value]) => value !== undefined);
  return given.length ? `?${given.map(([name, value]) => `${name}=${value}`).join("&")}` : "";
}

export function address(route: Route): string {
  switch (route.place) {
    case "shoots":
      return "/";
    case "find":
      return `/find${route.search ? `?for=${encodeURIComponent(route.search)}` : ""}`;
    case "sheet":
      return `/shoots/${route.shoot}`;
    case "bench":
      return `/shoots/${route.shoot}/frames/${route.frame}${query({ step: route.step === "tone" ? undefined : route.step, version: route.version })}`;
    case "side":
      return `/shoots/${route.shoot}/side?frames=${route.frames.join(",")}`;
    case "merge":
      return `/shoots/${route.shoot}/merge${query({ frames: route.frames.join(","), as: route.as, again: route.again })}`;
    case "deliver":
      return `/shoots/${route.shoot}/deliver${query({ frames: route.frames.join(",") || undefined, version: route.version })}`;
  }
}

const listeners = new Set<() => void>();
const tell = () => {
  for (const listener of listeners) listener();
};
if (typeof window !== "undefined") window.addEventListener("popstate", tell);

export function go(route: Route, replace = false): void {
  const url = address(route);
  if (url === window.location.pathname + window.location.search) return;
  if (replace) window.history.replaceState(null, "", url);
  else window.history.pushState(null, "", url);
  tell();
}

const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

export function useRoute(): Route {
  const url = useSyncExternalStore(subscribe, () => window.location.pathname + window.location.search);
  return parse(url);
}
