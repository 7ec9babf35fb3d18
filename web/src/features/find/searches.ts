import { api, need } from "../../api/client";
import { complain } from "../../state/notices";
import { queryClient } from "../../state/queries";
import type { Kept } from "./search";

export const keptSearches = () => need(api.GET("/api/searches"));

/** Changes the list of kept searches as it is now: another window may have kept one since it was read here. */
export async function changeSearches(change: (now: readonly Kept[]) => Kept[]): Promise<void> {
  try {
    const searches = change((await keptSearches()).searches);
    queryClient.setQueryData(["searches"], await need(api.PUT("/api/searches", { body: { searches } })));
  } catch (error) {
    complain(error);
  }
}
