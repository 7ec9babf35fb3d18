import { afterEach, expect, test, vi } from "vitest";
import { fetchView } from "./view";

const WINDOW = { scaledWidth: 30, scaledHeight: 20, x: 0, y: 0, width: 30, height: 20 };

afterEach(() => vi.unstubAllGlobals());

test("requests of a page are counted as they are asked, whatever becomes of the ones before", async () => {
  const bodies: { line: string; number: number }[] = [];
  vi.stubGlobal("fetch", async (_address: string, { body }: { body: string }) => {
    bodies.push(JSON.parse(body) as { line: string; number: number });
    return new Response(null, { status: 204 });
  });
  const ask = (place: string) => fetchView(1, null, WINDOW, { place }).catch((error: DOMException) => error.name);
  expect(await Promise.all([ask("adjusted"), ask("adjusted"), ask("loupe")])).toEqual([
    "AbortError",
    "AbortError",
    "AbortError",
  ]);
  await ask("adjusted");
  expect(bodies.map((b) => b.line.split(":")[1])).toEqual(["adjusted", "adjusted", "loupe", "adjusted"]);
  const numbers = bodies.map((b) => b.number);
  expect(numbers[0]).toBeGreaterThan(0);
  expect(numbers).toEqual(numbers.map((_, i) => (numbers[0] as number) + i));
});
