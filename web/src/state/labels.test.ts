import { afterEach, expect, it, vi } from "vitest";
import { api } from "../api/client";
import { type Label, saveLabels, withOthers } from "./labels";
import { queryClient } from "./queries";

const label = (name: string, ink: Label["ink"] = "ink"): Label => ({ name, ink });
const read = [label("proof"), label("print", "moss")];

afterEach(() => vi.restoreAllMocks());

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

it("asks for what there is now before it saves", async () => {
  const now = [...read, label("client")];
  vi.spyOn(api, "GET").mockImplementation((async () => ({
    data: { labels: now },
    response: new Response("{}"),
  })) as never);
  const put = vi.spyOn(api, "PUT").mockImplementation((async (_: string, { body }: { body: unknown }) => ({
    data: body,
    response: new Response("{}"),
  })) as never);
  await saveLabels([label("print", "moss")], read);
  expect(put.mock.calls[0]?.[1]).toEqual({ body: { labels: [label("print", "moss"), label("client")] } });
  expect(queryClient.getQueryData(["labels"])).toEqual({ labels: [label("print", "moss"), label("client")] });
});
