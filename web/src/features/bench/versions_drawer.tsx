import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api, type Frame, need, readVersion } from "../../api/client";
import type { components } from "../../api/generated/api";
import { alone } from "../../state/alone";
import { useBench } from "../../state/bench";
import { complain, useNotices } from "../../state/notices";
import { queryClient, thumbUrl } from "../../state/queries";
import { settledVersions } from "../../state/savers";
import { Button } from "../../ui/controls";
import { leave } from "../../ui/focus";

type Row = components["schemas"]["VersionRowOut"];

const refresh = () => {
  for (const key of ["versions", "frames"]) void queryClient.invalidateQueries({ queryKey: [key] });
};
const nameOf = (v: Row): string => v.name || `version ${v.number}`;

interface Props {
  frame: Frame;
  /** The one on the bench. */
  version: number;
  onOpen: (version: number) => void;
}

/** The versions of the frame: which one is on the bench, new ones, names, the cover, two of them against each other. */
export function VersionsDrawer({ frame, version, onOpen: openOnBench }: Props) {
  const [open, setOpen] = useState(false);
  // one goes on to work on it
  const onOpen = (id: number) => {
    setOpen(false);
    openOnBench(id);
  };
  const { data } = useQuery({
    queryKey: ["versions", frame.id],
    queryFn: () => need(api.GET("/api/frames/{id}/versions", { params: { path: { id: frame.id } } })),
  });
  const versions = data?.versions ?? [];
  const here = versions.find((v) => v.id === version);
  const act = (work: () => Promise<void>) => settledVersions().then(work).catch(complain).finally(refresh);
  const create = (like: number | null) =>
    alone(["version", frame.id, like], () =>
      act(async () => {
        const made = await need(
          api.POST("/api/frames/{id}/versions", { params: { path: { id: frame.id } }, body: { like, name: "" } }),
        );
        onOpen(made.id);
      }),
    );
  const remove = (v: Row) =>
    act(async () => {
      const { cover } = await need(api.DELETE("/api/versions/{id}", { params: { path: { id: v.id } } }));
      if (v.id === version) openOnBench(cover);
      useNotices.getState().say(`${frame.name}: ${nameOf(v)} deleted.`, false, {
        words: "Undo",
        run: () =>
          void act(async () => {
            await need(api.POST("/api/versions/{id}/restore", { params: { path: { id: v.id } } }));
          }),
      });
    });
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (next) refresh();
        setOpen(next);
      }}
    >
      <Popover.Trigger className="flex items-center gap-1 whitespace-nowrap text-base text-ink2 hover:text-ink hover:underline">
        <span aria-hidden className="text-ink3">
          /
        </span>
        <span className="sr-only">Versions: </span>
        <b className="max-w-40 truncate font-semibold text-ink">{here ? nameOf(here) : "version 1"}</b>
        {frame.versions > 1 && <span className="text-xs">of {frame.versions}</span>}
        <span aria-hidden>{"\u25BE"}</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="Versions"
          className="scroll-plain z-40 max-h-[76vh] w-[430px] border border-ink bg-sheet shadow-lg"
        >
          <ul>
            {versions.map((v) => (
              <VersionRow
                key={v.id}
                row={v}
                here={v.id === version}
                alone={versions.length === 1}
                onOpen={() => onOpen(v.id)}
                onDelete={() => void remove(v)}
                onCover={() =>
                  void act(async () => {
                    await need(api.POST("/api/versions/{id}/cover", { params: { path: { id: v.id } } }));
                  })
                }
                onName={(name) =>
                  void act(async () => {
                    await need(
                      api.PATCH("/api/versions/{id}/name", { params: { path: { id: v.id } }, body: { name } }),
                    );
                  })
                }
                against={here}
              />
            ))}
          </ul>
          <div className="flex gap-2 border-t border-rule bg-paper px-3 py-2">
            <Button onClick={() => void create(version)}>Duplicate this one</Button>
            <Button onClick={() => void create(null)}>New, as it came in</Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface RowProps {
  row: Row;
  here: boolean;
  alone: boolean;
  against: Row | undefined;
  onOpen: () => void;
  onDelete: () => void;
  onCover: () => void;
  onName: (name: string) => void;
}

function VersionRow({ row, here, alone, against, onOpen, onDelete, onCover, onName }: RowProps) {
  const [naming, setNaming] = useState(false);
  return (
    <li className={`flex gap-3 border-b border-rule px-3 py-2 ${here ? "bg-white" : ""}`}>
      <button type="button" onClick={onOpen} aria-label={`Open ${nameOf(row)}`} className="shrink-0 self-start">
        <img
          src={thumbUrl({ version: row.id, thumb: row.thumb })}
          alt=""
          className="max-h-[60px] w-[88px] object-contain"
        />
      </button>
      <div className="min-w-0 grow">
        <div className="flex items-baseline gap-2">
          {naming ? (
            <input
              // biome-ignore lint/a11y/noAutofocus: it was asked for by a press
              autoFocus
              aria-label={`Name of ${nameOf(row)}`}
              defaultValue={row.name}
              maxLength={80}
              onKeyDown={(e) => {
                e.stopPropagation();
                if (e.key === "Enter") leave(e.currentTarget);
                if (e.key === "Escape") setNaming(false);
              }}
              onBlur={(e) => {
                setNaming(false);
                if (e.currentTarget.value !== row.name) onName(e.currentTarget.value);
              }}
              className="h-6 min-w-0 grow border border-rule bg-white px-1.5"
            />
          ) : (
            <button type="button" onClick={onOpen} className="truncate text-left font-semibold hover:underline">
              {nameOf(row)}
            </button>
          )}
          {row.cover && <span className="text-xs text-ink2">cover</span>}
          {here && <span className="text-xs text-wax">on the bench</span>}
        </div>
        <p className="line-clamp-2 text-xs text-ink2">{row.words.length ? row.words.join("; ") : "as it came in"}</p>
        <div className="mt-1 flex flex-wrap gap-1">
          <Button quiet onClick={() => setNaming(true)}>
            Name
          </Button>
          {!row.cover && (
            <Button quiet onClick={onCover}>
              Make it the cover
            </Button>
          )}
          {!here && against && <CompareButton row={row} with_={against} />}
          {!alone && (
            <Button quiet onClick={onDelete}>
              Delete
            </Button>
          )}
        </div>
      </div>
    </li>
  );
}

/** Puts another version beside the one on the bench, with the differences in words. */
function CompareButton({ row, with_ }: { row: Row; with_: Row }) {
  const against = useBench((s) => s.against);
  const on = against?.version === row.id;
  const compare = async () => {
    if (on) {
      useBench.setState({ against: null, compare: "none" });
      return;
    }
    try {
      await settledVersions();
      const [state, { words }] = await Promise.all([
        readVersion(row.id),
        need(api.GET("/api/versions/{id}/against/{other}", { params: { path: { id: row.id, other: with_.id } } })),
      ]);
      useBench.setState({
        against: { version: row.id, name: nameOf(row), recipe: state.recipe, words },
        compare: "side",
      });
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Button quiet pressed={on} onClick={() => void compare()}>
      {on ? "No longer compare" : "Compare"}
    </Button>
  );
}
