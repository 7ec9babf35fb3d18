import { useQuery } from "@tanstack/react-query";
import { api, need } from "../api/client";
import type { components } from "../api/generated/api";
import { complain } from "./notices";
import { queryClient } from "./queries";

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

export function useLabels(): Label[] {
  const { data } = useQuery({ queryKey: ["labels"], queryFn: () => need(api.GET("/api/labels")), staleTime: 60_000 });
  return data?.labels ?? NONE;
}

export async function saveLabels(labels: Label[]): Promise<void> {
  try {
    queryClient.setQueryData(["labels"], await need(api.PUT("/api/labels", { body: { labels } })));
  } catch (error) {
    complain(error);
  }
}

export const inkOf = (labels: readonly Label[], name: string): string =>
  INKS[labels.find((l) => l.name === name)?.ink ?? "ink"];
