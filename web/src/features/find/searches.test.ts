import { afterEach, expect, it, vi } from "vitest";
import { api } from "../../api/client";
import { useNotices } from "../../state/notices";
import { queryClient } from "../../state/queries";
import { EMPTY_SEARCH, type Kept } from "./search";
import { changeSearches } from "./searches";

const one = (name: string): Kept => ({ name, search: EMPTY_SEARCH });

afterEach(() => vi.restoreAllMocks());

it("a search is kept beside those that another window has kept since", async () => {
  vi.spyOn(api, "GET").mockImplementation((async () => ({
    data: { searches: [one("doors"), one("elsewhere")] },
    response: new Response("{}"),
  })) as never);
  const put = vi.spyOn(api, "PUT").mockImplementation((async (_: string, { body }: { body: unknown }) => ({
    data: body,
    response: new Response("{}"),
  })) as never);
  await changeSearches((now) => [...now.filter((k) => k.name !== "doors"), one("kilns")]);
  expect(put.mock.calls[0]?.[1]).toEqual({ body: { searches: [one("elsewhere"), one("kilns")] } });
  expect(queryClient.getQueryData(["searches"])).toEqual({ searches: [one("elsewhere"), one("kilns")] });
});

it("nothing is written where it is not known what there is", async () => {
  vi.spyOn(api, "GET").mockImplementation((async () => ({
    error: { error: "The server is away." },
    response: new Response("{}", { status: 503 }),
  })) as never);
  const put = vi.spyOn(api, "PUT");
  await changeSearches((now) => [...now, one("kilns")]);
  expect(put).not.toHaveBeenCalled();
  expect(useNotices.getState().list.at(-1)?.text).toContain("The server is away.");
});
