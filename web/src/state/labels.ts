import { useQuery } from "@tanstack/react-query";
import { api, need } from "../api/client";
import type { components } from "../api/generated/api";
import { changeList } from "./lists";

export type Label = components["schemas"]["Label"];

/** Colours of printing inks, muted so that they do not compete with the pictures. */
export const INKS: Record<Label["ink"], string> = {
  ochre: "#9a6a12",
  brick: "#8c3b2a",
  plum: "#6b3f6d",
  slate: "#3f5568",
  teal: "#1f6468",
  moss: "#4d6127",
  sand: "#75634a",
  ink: "#2b2b2b",
};

const NONE: Label[] = [];

const asked = () => need(api.GET("/api/labels"));

/** Labels; null until they are known. */
export function useKnownLabels(): Label[] | null {
  return useQuery({ queryKey: ["labels"], queryFn: asked, staleTime: 60_000 }).data?.labels ?? null;
}

export const useLabels = (): Label[] => useKnownLabels() ?? NONE;

/** A list as it was changed here, with what came elsewhere since it was read. */
export function withOthers(mine: readonly Label[], read: readonly Label[], now: readonly Label[]): Label[] {
  const known = new Set([...mine, ...read].map((l) => l.name));
  return [...mine, ...now.filter((l) => !known.has(l.name))];
}

/** Saves a list that was `read` before it was changed, with what came since. */
export const saveLabels = (mine: readonly Label[], read: readonly Label[]): Promise<void> =>
  changeList(
    "labels",
    asked,
    (now) => ({ labels: withOthers(mine, read, now.labels) }),
    (body) => need(api.PUT("/api/labels", { body })),
  );

export const inkOf = (labels: readonly Label[], name: string): string =>
  INKS[labels.find((l) => l.name === name)?.ink ?? "ink"];
