import { expect, it } from "vitest";
import { isItems, mergedItems, newItemId } from "./items";

const key = (id: string, hue = 0) => ({ id, hue });
const before = [key("a"), key("b")];

it("two hands on different items of one list both count", () => {
  expect(mergedItems(before, [key("a", 5), key("b")], [key("a"), key("b", 7)])).toEqual([key("a", 5), key("b", 7)]);
  expect(mergedItems(before, [...before, key("c")], [...before, key("d")])).toEqual([...before, key("c"), key("d")]);
  expect(mergedItems(before, [key("b")], [key("a"), key("b", 3)])).toEqual([key("b", 3)]);
  expect(mergedItems(before, [key("a", 1), key("b")], [key("a")])).toEqual([key("a", 1)]);
});

it("the same change of both is one", () => {
  expect(mergedItems(before, [key("a", 4), key("b")], [key("a", 4), key("b")])).toEqual([key("a", 4), key("b")]);
  expect(mergedItems(before, [key("a")], [key("a")])).toEqual([key("a")]);
});

it("two changes of one item cannot both count", () => {
  expect(mergedItems(before, [key("a", 1), key("b")], [key("a", 2), key("b")])).toBeNull();
  expect(mergedItems(before, [key("b")], [key("a", 2), key("b")]), "taken away there, changed here").toBeNull();
  expect(mergedItems(before, [key("a", 2), key("b")], [key("b")]), "changed there, taken away here").toBeNull();
  expect(mergedItems([], [key("x", 1)], [key("x", 2)])).toBeNull();
});

it("lists without ids are no items", () => {
  expect(isItems([{ id: "1" }, { id: "2" }])).toBe(true);
  expect([isItems([[0, 0]]), isItems([{ a: 1 }]), isItems([null]), isItems("ab")]).toEqual([
    false,
    false,
    false,
    false,
  ]);
  expect(newItemId()).toMatch(/^[A-Za-z0-9-]{1,36}$/);
});
