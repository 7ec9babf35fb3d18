import { ApiError } from "../api/client";

const open = new Map<string, string>();

/**
 * Asks for something that must not be started twice: a second press, or another try after an answer that never came, carries the same
 * key, which the server knows. `words` says what is asked for; after an answer the same words are a new request.
 */
export async function once<T>(words: unknown, ask: (key: string) => Promise<T>): Promise<T> {
  const text = JSON.stringify(words);
  const key = open.get(text) ?? crypto.randomUUID();
  open.set(text, key);
  try {
    const answer = await ask(key);
    open.delete(text);
    return answer;
  } catch (error) {
    // refused for what it is: nothing was started
    if (error instanceof ApiError && error.status >= 400 && error.status < 500) open.delete(text);
    throw error;
  }
}
