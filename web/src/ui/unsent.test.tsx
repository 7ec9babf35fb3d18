import { act } from "react";
import { createRoot } from "react-dom/client";
import { beforeEach, expect, it, vi } from "vitest";
import { useUnsent } from "./unsent";

vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);
beforeEach(() => sessionStorage.clear());

let typed: string;
let type: (text: string | null) => void;
function Field({ about }: { about: string }) {
  [typed, type] = useUnsent("dialog", about, "");
  return null;
}

async function opened(about: string, then: () => void = () => {}): Promise<string> {
  const root = createRoot(document.createElement("div"));
  await act(async () => root.render(<Field about={about} />));
  const shown = typed;
  await act(async () => then());
  await act(async () => root.unmount());
  return shown;
}

it("what was typed is there again for the same, until it is sent or given up", async () => {
  expect(await opened("a b", () => type("half a caption"))).toBe("");
  expect(await opened("c")).toBe("");
  expect(await opened("a b", () => type("a whole caption"))).toBe("half a caption");
  expect(await opened("a b", () => type(null))).toBe("a whole caption");
  expect(await opened("a b")).toBe("");
  await opened("a b", () => type("x"));
  await opened("c", () => type("y"));
  expect([await opened("a b"), await opened("c")], "the last one is kept").toEqual(["", "y"]);
});

it("works where nothing may be kept", async () => {
  sessionStorage.setItem("zincplate.unsent.dialog", "{");
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  expect(await opened("a", () => type("x"))).toBe("");
  expect(typed).toBe("x");
  full.mockRestore();
});
