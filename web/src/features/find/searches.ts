import { api, need } from "../../api/client";
import { changeList } from "../../state/lists";
import type { Kept } from "./search";

export const keptSearches = () => need(api.GET("/api/searches"));

/** Changes the list of kept searches. */
export const changeSearches = (change: (now: readonly Kept[]) => Kept[]): Promise<void> =>
  changeList(
    "searches",
    keptSearches,
    (now) => ({ searches: change(now.searches) }),
    (body) => need(api.PUT("/api/searches", { body })),
  );
