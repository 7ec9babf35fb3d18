import { complain } from "./notices";
import { queryClient } from "./queries";

/**
 * Changes a list that is saved as a whole as it is now, not as it was when it was read here: another window may have changed it
 * since. Where it cannot be known what there is, nothing is written.
 */
export async function changeList<T>(
  query: string,
  asked: () => Promise<T>,
  change: (now: T) => T,
  put: (next: T) => Promise<T>,
): Promise<void> {
  try {
    queryClient.setQueryData([query], await put(change(await asked())));
  } catch (error) {
    complain(error);
  }
}
