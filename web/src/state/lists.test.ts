import { beforeEach, expect, it } from "vitest";
import { changeList } from "./lists";
import { useNotices } from "./notices";
import { queryClient } from "./queries";

beforeEach(() => useNotices.setState({ list: [] }));

it("a list is changed as it is now, and what the server answers is shown", async () => {
  queryClient.setQueryData(["words"], ["read long ago"]);
  const put: string[][] = [];
  const asked = async () => ["doors", "elsewhere"];
  await changeList(
    "words",
    asked,
    (now) => [...now, "kilns"],
    async (next) => {
      put.push(next);
      return next.map((word) => word.toUpperCase());
    },
  );
  expect(put).toEqual([["doors", "elsewhere", "kilns"]]);
  expect(queryClient.getQueryData(["words"])).toEqual(["DOORS", "ELSEWHERE", "KILNS"]);
});

it("nothing is written where it is not known what there is", async () => {
  let written = false;
  const away = async (): Promise<string[]> => {
    throw new Error("The server is away.");
  };
  await changeList(
    "words",
    away,
    (now) => now,
    async (next) => {
      written = true;
      return next;
    },
  );
  expect(written).toBe(false);
  expect(useNotices.getState().list.map((n) => n.text)).toEqual(["The server is away."]);
});
