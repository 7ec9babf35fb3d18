import { describe, expect, it } from "vitest";
import { ApiError } from "../api/client";
import { contrast, exposure, off, setUp } from "./saver_for_tests";
import type { Deed, Entry } from "./saving";
import { VersionForTests } from "./server_for_tests";

const KEY = {
  name: "clay",
  centre_lightness: 0.5,
  centre_a: 0,
  centre_b: 0,
  reach: 30,
  saturation: 0,
  lightness: 0,
  grey: 0,
};

describe("one version's queue", () => {
  it("sends changes one after the other, each on the revision that the one before led to", async () => {
    const { saver, server, requests, next } = setUp();
    saver.add(exposure(0.5));
    saver.add(contrast(10));
    saver.add(off("colour"));
    expect(requests.length).toBe(1);
    expect(saver.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 10 });
    expect((await next()).revision).toBe(0);
    expect((await next()).revision).toBe(1);
    await next();
    expect(server.steps.length).toBe(4);
    expect(server.recipe.off).toEqual(["colour"]);
    expect(saver.version.position).toBe(3);
    expect(saver.waiting).toEqual([]);
  });

  it("takes undo's target when it is its turn: two quick ones go back two steps, one after a save only that", async () => {
    const { saver, server, all } = setUp();
    for (const ev of [0.1, 0.2, 0.3]) saver.add(exposure(ev));
    await all();
    saver.add({ do: "undo" });
    saver.add({ do: "undo" });
    expect(saver.recipe.tone.exposure_ev).toBe(0.1); // in sight before any answer
    await all();
    expect(server.recipe.tone.exposure_ev).toBe(0.1);
    saver.add(contrast(5));
    saver.add({ do: "undo" });
    expect(saver.recipe.tone.contrast).toBe(0);
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.1, contrast: 0 });
    saver.add({ do: "redo" });
    await all();
    expect(server.recipe.tone.contrast).toBe(5);
  });

  it("knows what can be undone while changes wait, and asks nothing pointless", async () => {
    const { saver, server, requests, told, all } = setUp();
    expect([saver.mayUndo, saver.mayRedo]).toEqual([false, false]);
    saver.add(exposure(0.1));
    expect([saver.mayUndo, saver.mayRedo]).toEqual([true, false]);
    saver.add({ do: "undo" });
    expect([saver.mayUndo, saver.mayRedo]).toEqual([false, true]);
    saver.add({ do: "undo" });
    await all();
    expect(saver.version.position).toBe(0);
    expect(requests.length).toBe(0);
    saver.add({ do: "redo" });
    saver.add({ do: "redo" });
    await all();
    expect(saver.version.position).toBe(1);
    // the change, one undo and one redo: the other two had nowhere to go
    expect(server.made.length).toBe(3);
    expect(told).toEqual([]);
  });

  it("puts the parts of one gesture that wait into one request, other changes never", async () => {
    const { saver, server, requests, next, all } = setUp();
    saver.add(exposure(0.1, "g"));
    saver.add(exposure(0.2, "g"));
    saver.add(exposure(0.3, "g"));
    saver.add(contrast(4));
    saver.add(exposure(0.4));
    await next();
    expect(requests[0]?.entry.deed).toMatchObject({ patch: { values: { tone: { exposure_ev: 0.3 } } } });
    await all();
    expect(server.steps.map((s) => [s.recipe.tone.exposure_ev, s.recipe.tone.contrast])).toEqual([
      [0, 0],
      [0.3, 0],
      [0.3, 4],
      [0.4, 4],
    ]);
  });

  it("keeps both when another tab changed another control", async () => {
    const { saver, server, told, all } = setUp();
    saver.add(exposure(0.5));
    server.change(0, { id: "other", deed: contrast(-20) });
    saver.add(off("finish"));
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: -20 });
    expect(server.recipe.off).toEqual(["finish"]);
    expect(told).toMatchObject([{ bad: false }]);
    expect(saver.recipe).toEqual(server.recipe);
  });

  it("tells it when another tab changed the same control, keeps the others, and sets it on demand", async () => {
    const { saver, server, told, all } = setUp();
    saver.add(contrast(7));
    saver.add(exposure(0.5));
    saver.add({ do: "undo" });
    saver.add(off("colour"));
    server.change(0, { id: "other", deed: exposure(1.5) });
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 1.5, contrast: 7 });
    expect(server.recipe.off).toEqual(["colour"]);
    expect(told[0]?.text).toContain("Exposure: changed elsewhere");
    told[0]?.run?.();
    await all();
    expect(server.recipe.tone.exposure_ev).toBe(0.5);
  });

  it("keeps both when another tab changed another item of the same list, and tells it when the same one", async () => {
    const { saver, server, told, all } = setUp();
    const key = (id: string, hue = 0) => ({ ...KEY, id, hue });
    const keys = (...own_keys: ReturnType<typeof key>[]): Deed => ({
      do: "set",
      patch: { values: { colour: { own_keys } }, switches: {} },
      gesture: "",
    });
    saver.add(keys(key("a"), key("b")));
    await all();
    server.change(1, { id: "other", deed: keys(key("a", 9), key("b"), key("c")) });
    saver.add(keys(key("a"), key("b", 4)));
    await all();
    expect(server.recipe.colour.own_keys).toEqual([key("a", 9), key("b", 4), key("c")]);
    expect(told).toMatchObject([{ bad: false }]);
    expect(saver.recipe).toEqual(server.recipe);
    server.change(3, { id: "third", deed: keys(key("a", 9), key("b", -5), key("c")) });
    saver.add(keys(key("a", 9), key("b", 30), key("c")));
    await all();
    expect(server.recipe.colour.own_keys).toEqual([key("a", 9), key("b", -5), key("c")]);
    expect(told.at(-1)).toMatchObject({ bad: true });
  });

  it("undoes nothing that it has not shown", async () => {
    const { saver, server, told, all } = setUp();
    saver.add(exposure(0.5));
    await all();
    server.change(1, { id: "other", deed: contrast(9) });
    saver.add({ do: "undo" });
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 9 });
    expect(told[0]?.text).toContain("nothing was undone");
    saver.add({ do: "undo" });
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 0 });
  });

  it("sends again what got no answer, once made or not, and goes on", async () => {
    const { saver, server, told, requests, next, all } = setUp();
    saver.add(exposure(0.5));
    saver.add({ do: "undo" });
    saver.add(contrast(3));
    await next(new ApiError(0, "The server does not answer."));
    expect(requests[0]?.entry.id).toBe(saver.waiting[0]?.id);
    // made, but the answer was lost
    server.change(0, requests[0]?.entry as Entry);
    await next(new ApiError(503, "busy"));
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0, contrast: 3 });
    expect(told.length).toBe(1);
    expect(told[0]?.text).toContain("3 changes wait");
  });

  it("keeps what a full disk refuses, however often, until there is room", async () => {
    const { saver, server, told, next, all } = setUp();
    saver.add(exposure(0.5));
    for (let i = 0; i < 9; i++) await next(new ApiError(507, "The disk is full."));
    expect(saver.waiting.length).toBe(1);
    expect(told.map((t) => t.text)).toEqual(["The disk is full. Your change waits and will be sent again."]);
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.5 });
  });

  it("gives a change up that the server fails on again and again, and only that", async () => {
    const { saver, server, told, next, all } = setUp();
    saver.add(exposure(0.5));
    saver.add(contrast(3));
    for (let i = 0; i < 6; i++) await next(new ApiError(500, "broken"));
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0, contrast: 3 });
    expect(told.at(-1)).toEqual({ text: "broken", bad: true });
  });

  it("takes back what is refused, with the undo that meant it", async () => {
    const { saver, server, told, all } = setUp();
    saver.add(contrast(3));
    saver.add(exposure(9));
    saver.add({ do: "undo" });
    saver.add(off("tone"));
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 0, contrast: 3 });
    expect(server.recipe.off).toEqual(["tone"]);
    expect(told).toEqual([{ text: "too much", bad: true }]);
  });

  it("goes on after a reload with what was left, made already or not", async () => {
    for (const made of [false, true]) {
      const { saver, server, make, requests, all, kept, told } = setUp();
      saver.add(exposure(0.5));
      saver.add(exposure(0.8));
      saver.add({ do: "undo" });
      saver.add(contrast(3));
      if (made) server.change(0, requests[0]?.entry as Entry);
      const left = structuredClone(kept()) as Entry[];
      requests.length = 0; // the page is gone
      const next = make();
      next.resume(left);
      await all();
      expect(server.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 3 });
      expect(server.steps.length).toBe(3);
      expect(told).toEqual([]);
      expect(kept()).toEqual([]);
    }
  });

  it("does not make what waited for a file of another library", async () => {
    const { saver, server, make, requests, all, kept, told } = setUp();
    saver.add(exposure(0.5));
    const left = structuredClone(kept()).map((e) => ({ ...e, file: "another file" })) as Entry[];
    requests.length = 0;
    make().resume(left);
    await all();
    expect(server.recipe.tone.exposure_ev).toBe(0);
    expect(told[0]?.text).toContain("another library");
  });

  it("tells after a reload what was changed elsewhere meanwhile", async () => {
    const { saver, server, make, requests, all, kept, told } = setUp();
    saver.add(exposure(0.5));
    saver.add(contrast(3));
    const left = structuredClone(kept()) as Entry[];
    requests.length = 0;
    server.change(0, { id: "other", deed: exposure(2) });
    make().resume(left);
    await all();
    expect(server.recipe.tone).toMatchObject({ exposure_ev: 2, contrast: 3 });
    expect(told[0]?.text).toContain("Exposure");
  });

  it("takes over a newer state, never an older one", async () => {
    const { saver, server, all } = setUp();
    const old = server.state();
    saver.add(exposure(0.5));
    await all();
    saver.adopt(old);
    expect(saver.recipe.tone.exposure_ev).toBe(0.5);
    server.change(1, { id: "other", deed: contrast(1) });
    saver.adopt(server.state());
    expect(saver.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 1 });
  });

  it("holds the whole history while answers tell the entries about the current one", async () => {
    const server = new VersionForTests(1);
    server.known = 1;
    const { saver, all } = setUp(server);
    const held = () => saver.version.history.map((e) => e.words);
    const entries = (n: number) => Array.from({ length: n }, (_, i) => `entry ${i}`);
    for (let n = 1; n <= 7; n++) {
      saver.add(exposure(n / 10));
      await all();
      expect(held()).toEqual(entries(n + 1));
    }
    saver.add({ do: "go", position: 3 });
    await all();
    expect(held()).toEqual(entries(8));
    saver.add(contrast(5));
    await all();
    expect(held()).toEqual(entries(5));
    saver.add({ do: "go", position: 1 });
    await all();
    expect(held()).toEqual(entries(5));
  });

  it("keeps the recipe's object while the recipe is the same", async () => {
    const { saver, all } = setUp();
    saver.add(exposure(0.5));
    const shown = saver.recipe;
    await all();
    expect(saver.recipe).toBe(shown);
  });
});
