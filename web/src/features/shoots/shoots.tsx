import { useState } from "react";
import type { Shoot } from "../../api/client";
import { expectFrames, thumbUrl, useShoots } from "../../state/queries";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { bytes } from "../../ui/number";
import { TopBar } from "../../ui/top_bar";
import { JobsButton } from "../jobs/jobs_button";
import { BringIn, useDrop } from "./bring_in";

/** All shoots: covers, dates, counts; bring in. */
export function Shoots() {
  const { data, error } = useShoots();
  const [asking, setAsking] = useState(false);
  const [dropped, setDropped] = useState<File[] | null>(null);
  const drop = useDrop((files) => {
    setDropped(files);
    setAsking(true);
  });
  return (
    <div className="flex h-full flex-col" {...drop.handlers}>
      <TopBar crumbs={[["Shoots", null]]}>
        <Button onClick={() => go({ place: "find", search: "" })}>Find frames</Button>
        <JobsButton />
        <Button ink onClick={() => setAsking(true)}>
          Bring in
        </Button>
      </TopBar>
      <main
        className={`scroll-plain grow px-6 py-5 ${drop.over ? "bg-white outline-2 -outline-offset-8 outline-dashed outline-wax" : ""}`}
      >
        <h1 tabIndex={-1} data-place-start className="mb-1 font-slab text-[26px] font-semibold">
          Shoots
        </h1>
        {data?.card.present && (
          <p className="mb-3 flex items-center gap-2 text-ink2">
            Memory card {data.card.name} is in the reader, {data.card.files} files.
            <button type="button" className="text-ink underline" onClick={() => setAsking(true)}>
              Bring it in
            </button>
          </p>
        )}
        {error && <p role="alert">{error.message}</p>}
        {data?.shoots.length === 0 && (
          <p className="mt-10 max-w-md text-ink2">
            Nothing here yet. Bring in a folder or a memory card, or drop files anywhere on this page.
          </p>
        )}
        <ul className="border-t border-ink">
          {data?.shoots.map((shoot) => (
            <Row key={shoot.id} shoot={shoot} />
          ))}
        </ul>
      </main>
      <BringIn
        card={data?.card ?? null}
        dropped={dropped}
        open={asking}
        onClose={() => {
          setAsking(false);
          setDropped(null);
        }}
      />
    </div>
  );
}

const day = (text: string) =>
  text ? new Date(text).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" }) : "";

function Row({ shoot }: { shoot: Shoot }) {
  const from = day(shoot.first_at);
  const to = day(shoot.last_at);
  const counts: [string, number][] = [
    ["frames", shoot.frames],
    ["kept", shoot.kept],
    ["adjusted", shoot.adjusted],
    ["delivered", shoot.delivered],
  ];
  return (
    <li className="border-b border-rule">
      <button
        type="button"
        onPointerEnter={() => void expectFrames(shoot.id)}
        onFocus={() => void expectFrames(shoot.id)}
        onClick={() => go({ place: "sheet", shoot: shoot.id })}
        className="flex w-full items-center gap-6 py-3.5 text-left hover:bg-white"
      >
        <span className="w-64 shrink-0">
          <span className="block truncate font-slab text-[17px] font-semibold">{shoot.name}</span>
          <span className="block text-sm text-ink2">{from === to || !to ? from || "no date" : `${from} to ${to}`}</span>
          <span className="block text-sm text-ink2">{shoot.size_bytes ? bytes(shoot.size_bytes) : ""}</span>
        </span>
        <span className="flex min-w-0 grow gap-1.5 overflow-hidden">
          {shoot.covers.map((cover) => (
            <img
              key={cover.version}
              src={thumbUrl(cover)}
              alt=""
              className="h-[72px] w-[108px] shrink-0 border border-rule object-cover"
            />
          ))}
        </span>
        <span className="flex shrink-0 gap-5">
          {counts.map(([name, n]) => (
            <span key={name} className="w-14 text-right">
              <b className="block text-[19px] font-semibold leading-6">{n}</b>
              <span className="text-xs text-ink2">{name}</span>
            </span>
          ))}
          <span className="w-14 text-right">
            {shoot.refused > 0 && (
              <>
                <b className="block text-[19px] font-semibold leading-6 text-wax">{shoot.refused}</b>
                <span className="text-xs text-ink2">refused</span>
              </>
            )}
          </span>
        </span>
      </button>
    </li>
  );
}
