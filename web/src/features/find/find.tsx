import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, need } from "../../api/client";
import { thumbUrl } from "../../state/queries";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { MARK_WORDS, Stars } from "../../ui/marks";
import { TopBar } from "../../ui/top_bar";
import { JobsButton } from "../jobs/jobs_button";
import { addressOf, EMPTY_SEARCH, type FoundFrame, type Search, searchOf } from "./search";
import { changeSearches, keptSearches } from "./searches";

const PAGE = 120;
const PAUSE_MS = 200;
const FIELD = "h-7 border border-rule bg-white px-1.5";

/** Frames of all shoots by words, days, marks, camera and lens; searches kept under a name. */
export function Find({ asked }: { asked: string }) {
  const [search, setSearch] = useState<Search>(() => searchOf(asked));
  const [start, setStart] = useState(0);
  useEffect(() => {
    setSearch(searchOf(asked));
    setStart(0);
  }, [asked]);
  useEffect(() => {
    const address = addressOf(search);
    if (address === addressOf(searchOf(asked))) return;
    const later = setTimeout(() => go({ place: "find", search: address }, true), PAUSE_MS);
    return () => clearTimeout(later);
  }, [search, asked]);
  const { data, error } = useQuery({
    queryKey: ["find-all", asked, start],
    queryFn: () => need(api.POST("/api/find", { body: { search: searchOf(asked), limit: PAGE, start } })),
    placeholderData: keepPreviousData,
    staleTime: 2000,
  });
  const total = data?.total ?? 0;
  return (
    <div className="flex h-full flex-col">
      <TopBar
        crumbs={[
          ["Shoots", { place: "shoots" }],
          ["Find frames", null],
        ]}
      >
        <JobsButton />
      </TopBar>
      <Asked search={search} setSearch={setSearch} />
      <main
        data-place-start
        tabIndex={-1}
        aria-label="Found frames"
        className="scroll-plain min-h-0 grow px-4 py-3 !outline-none"
      >
        {error && <p role="alert">{error.message}</p>}
        <p role="status" className="mb-2 text-ink2">
          {data
            ? total === 0
              ? "No frame answers this."
              : `${total.toLocaleString("en-GB")} frame${total === 1 ? "" : "s"}, the newest first`
            : ""}
        </p>
        <ul className="flex flex-wrap gap-x-3 gap-y-4">
          {data?.frames.map((f) => (
            <Found key={f.id} frame={f} />
          ))}
        </ul>
        {total > PAGE && (
          <div className="mt-4 flex items-center gap-3">
            <Button disabled={start === 0} onClick={() => setStart(Math.max(start - PAGE, 0))}>
              Newer
            </Button>
            <span>
              {start + 1} to {Math.min(start + PAGE, total)}
            </span>
            <Button disabled={start + PAGE >= total} onClick={() => setStart(start + PAGE)}>
              Older
            </Button>
          </div>
        )}
      </main>
    </div>
  );
}

function Found({ frame: f }: { frame: FoundFrame }) {
  return (
    <li className="w-[150px]">
      <button
        type="button"
        onClick={() => go({ place: "bench", shoot: f.shoot, frame: f.id, step: "tone" })}
        className="block w-full text-left hover:underline"
      >
        <span className="flex h-[100px] items-end justify-center">
          {f.thumb_state === "none" || f.thumb_state === "failed" ? (
            <span className="flex h-full w-full items-center justify-center border border-rule bg-zinc text-xs text-ink2">
              no picture yet
            </span>
          ) : (
            <img src={thumbUrl(f)} alt="" className="max-h-full max-w-full outline outline-1 outline-black/25" />
          )}
        </span>
        <span className="mt-1 flex items-baseline gap-1.5 text-xs">
          <b className="truncate font-semibold">{f.name}</b>
          <Stars count={f.stars} />
          {f.mark && <span className="text-wax">{MARK_WORDS[f.mark]}</span>}
        </span>
      </button>
      <button
        type="button"
        onClick={() => go({ place: "sheet", shoot: f.shoot })}
        className="block min-h-6 max-w-full truncate text-xs text-ink2 hover:underline"
      >
        {f.shoot_name}
      </button>
    </li>
  );
}

/** What is asked for, field by field, and kept searches. */
function Asked({ search, setSearch }: { search: Search; setSearch: (search: Search) => void }) {
  const known = useQuery({ queryKey: ["find-known"], queryFn: () => need(api.GET("/api/find/known")) });
  const kept = useQuery({ queryKey: ["searches"], queryFn: keptSearches });
  const [name, setName] = useState("");
  const put = (part: Partial<Search>) => setSearch({ ...search, ...part });
  const list = kept.data?.searches ?? [];
  const select = (label: string, key: "label" | "camera" | "lens", options: readonly string[]) => (
    <label className="flex items-center gap-1.5 text-ink2">
      {label}
      <select
        value={search[key]}
        onChange={(e) => put({ [key]: e.currentTarget.value })}
        className={`${FIELD} max-w-40 text-ink`}
      >
        <option value="">any</option>
        {options.map((o) => (
          <option key={o} value={o}>
            {o}
          </option>
        ))}
      </select>
    </label>
  );
  const either = (label: string, key: "adjusted" | "delivered") => (
    <label className="flex items-center gap-1.5 text-ink2">
      {label}
      <select
        value={search[key] === null ? "" : String(search[key])}
        onChange={(e) => put({ [key]: e.currentTarget.value === "" ? null : e.currentTarget.value === "true" })}
        className={`${FIELD} text-ink`}
      >
        <option value="">either</option>
        <option value="true">yes</option>
        <option value="false">no</option>
      </select>
    </label>
  );
  const day = (label: string, key: "first_day" | "last_day") => (
    <label className="flex items-center gap-1.5 text-ink2">
      {label}
      <input
        type="date"
        value={search[key] ?? ""}
        onChange={(e) => put({ [key]: e.currentTarget.value || null })}
        className={`${FIELD} text-ink`}
      />
    </label>
  );
  return (
    <div className="flex flex-col gap-2 border-b border-rule bg-paper px-4 py-2.5">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <input
          type="search"
          // biome-ignore lint/a11y/noAutofocus: one comes here to type
          autoFocus
          aria-label="Words in name, title, caption, keywords, camera or lens"
          placeholder="Words in name, caption, keywords, camera, lens"
          value={search.text}
          maxLength={200}
          onChange={(e) => put({ text: e.currentTarget.value })}
          className={`${FIELD} w-80`}
        />
        {day("from", "first_day")}
        {day("to", "last_day")}
        <span className="grow" />
        <Button onClick={() => setSearch(EMPTY_SEARCH)}>Clear the search</Button>
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <label className="flex items-center gap-1.5 text-ink2">
          mark
          <select
            value={search.mark}
            onChange={(e) => put({ mark: e.currentTarget.value as Search["mark"] })}
            className={`${FIELD} text-ink`}
          >
            {["any", "keep", "maybe", "drop", "unmarked"].map((m) => (
              <option key={m} value={m}>
                {m}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-1.5 text-ink2">
          stars
          <select
            value={search.stars}
            onChange={(e) => put({ stars: Number(e.currentTarget.value) })}
            className={`${FIELD} text-ink`}
          >
            <option value={0}>any</option>
            {[1, 2, 3, 4, 5].map((n) => (
              <option key={n} value={n}>
                {n} and up
              </option>
            ))}
          </select>
        </label>
        {select("label", "label", known.data?.labels ?? [])}
        {select("camera", "camera", known.data?.cameras ?? [])}
        {select("lens", "lens", known.data?.lenses ?? [])}
        {either("adjusted", "adjusted")}
        {either("delivered", "delivered")}
      </div>
      <div className="flex flex-wrap items-center gap-2">
        {list.map((k) => (
          <span key={k.name} className="flex items-center border border-rule bg-sheet">
            <button
              type="button"
              onClick={() => setSearch({ ...EMPTY_SEARCH, ...k.search })}
              className="px-2 py-0.5 hover:underline"
            >
              {k.name}
            </button>
            <button
              type="button"
              aria-label={`Forget the search ${k.name}`}
              onClick={() => void changeSearches((now) => now.filter((other) => other.name !== k.name))}
              className="h-6 w-6 text-ink2 hover:text-ink"
            >
              {"\u00d7"}
            </button>
          </span>
        ))}
        <form
          className="flex gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            const called = name.trim();
            if (!called) return;
            void changeSearches((now) => [...now.filter((k) => k.name !== called), { name: called, search }]);
            setName("");
          }}
        >
          <input
            aria-label="Name to keep this search under"
            placeholder="Keep this search as"
            value={name}
            maxLength={80}
            onChange={(e) => setName(e.currentTarget.value)}
            className={`${FIELD} w-44`}
          />
          <Button type="submit" disabled={!name.trim() || !addressOf(search)}>
            Keep
          </Button>
        </form>
      </div>
    </div>
  );
}
