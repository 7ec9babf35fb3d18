import { expect, it } from "vitest";
import { type Label, withOthers } from "./labels";

const label = (name: string, ink: Label["ink"] = "ink"): Label => ({ name, ink });
const read = [label("proof"), label("print", "moss")];

it("a list is saved as it was changed, with what another window added since it was read", () => {
  expect(withOthers([label("proof", "plum")], read, read)).toEqual([label("proof", "plum")]);
  expect(withOthers(read, read, [...read, label("client", "teal")])).toEqual([...read, label("client", "teal")]);
  // both added the same: once, as here
  expect(withOthers([...read, label("client", "sand")], read, [...read, label("client", "teal")])).toEqual([
    ...read,
    label("client", "sand"),
  ]);
  // what was taken away here stays away
  expect(withOthers([], read, [...read, label("client")])).toEqual([label("client")]);
});
