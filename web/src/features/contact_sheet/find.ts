import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, need } from "../../api/client";

const PAUSE_MS = 180;

/** Frames that a text finds; null when nothing is looked for. What was found stays in sight until the next answer is there. */
export function useFound(shoot: number, text: string): ReadonlySet<number> | null {
  const [asked, setAsked] = useState("");
  useEffect(() => {
    const later = setTimeout(() => setAsked(text.trim()), text.trim() ? PAUSE_MS : 0);
    return () => clearTimeout(later);
  }, [text]);
  const { data } = useQuery({
    queryKey: ["find", shoot, asked],
    queryFn: () => need(api.GET("/api/shoots/{id}/find", { params: { path: { id: shoot }, query: { text: asked } } })),
    enabled: asked !== "",
    placeholderData: keepPreviousData,
    staleTime: 5000,
  });
  return useMemo(() => (asked && data ? new Set(data.frames) : null), [asked, data]);
}
