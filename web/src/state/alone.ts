const underWay = new Map<string, Promise<unknown>>();

/**
 * Does a thing once: what is asked for again while it is under way, by a second press on a slow answer, is the same. `words` say what
 * is asked for.
 */
export function alone<T>(words: unknown, work: () => Promise<T>): Promise<T> {
  const key = JSON.stringify(words);
  const running = underWay.get(key) as Promise<T> | undefined;
  if (running) return running;
  const started = work().finally(() => underWay.delete(key));
  underWay.set(key, started);
  return started;
}
