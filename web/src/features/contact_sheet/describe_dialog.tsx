import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { api, type Frame, need } from "../../api/client";
import type { components } from "../../api/generated/api";
import { alone } from "../../state/alone";
import { complain, useNotices } from "../../state/notices";
import { queryClient } from "../../state/queries";
import { Button } from "../../ui/controls";
import { useFocusReturn } from "../../ui/focus";
import { useUnsent } from "../../ui/unsent";

type Common = components["schemas"]["DescriptionOut"];
type Before = components["schemas"]["Before"];
type Field = "title" | "caption" | "artist" | "copyright" | "place" | "city" | "region" | "country";

const FIELDS: readonly (readonly [Field, string])[] = [
  ["title", "Title"],
  ["caption", "Caption"],
  ["artist", "Author"],
  ["copyright", "Rights"],
  ["place", "Place"],
  ["city", "City"],
  ["region", "Region"],
  ["country", "Country"],
];
const LOOK = "min-w-0 border border-rule bg-white px-2";

const refresh = () => void queryClient.invalidateQueries({ queryKey: ["frames"] });

async function undo(before: Before[]): Promise<void> {
  try {
    await need(api.POST("/api/frames/description/undo", { body: { before } }));
  } catch (error) {
    complain(error);
  }
  refresh();
}

const words = (text: string): string[] => [...new Set(text.split(/[,;\n]/).map((w) => w.trim()))].filter(Boolean);

type Typed = Partial<Record<Field | "keywords", string>>;

/** Title, caption, keywords, author, rights and place of one frame or many; fields that are left alone stay as they are. */
export function DescribeDialog({ frames, onClose }: { frames: readonly Frame[]; onClose: () => void }) {
  const focus = useFocusReturn();
  const [common, setCommon] = useState<Common | null>(null);
  const ids = frames.map((f) => f.id);
  const list = ids.join(",");
  const [typed, setTyped] = useUnsent<Typed>("description", list, {});
  // what is typed before it is known what there is stays
  const keywords = typed.keywords ?? common?.keywords.join(", ") ?? "";
  useEffect(() => {
    let wanted = true;
    need(api.POST("/api/frames/description", { body: { frames: list.split(",").map(Number) } }))
      .then((found) => {
        if (wanted) setCommon(found);
      })
      .catch(complain);
    return () => {
      wanted = false;
    };
  }, [list]);
  const save = () => alone(["describe", ids, typed], write);
  const write = async () => {
    const given = words(keywords);
    const had = common?.keywords ?? [];
    const description = {
      ...Object.fromEntries(FIELDS.map(([name]) => [name, typed[name] ?? null])),
      add_keywords: given.filter((k) => !had.includes(k)),
      remove_keywords: had.filter((k) => !given.includes(k)),
    } as components["schemas"]["Description"];
    try {
      const body = { frames: ids, description };
      const { before } = await need(api.PATCH("/api/frames/description", { body }));
      useNotices.getState().say(`Written about ${ids.length} frame${ids.length === 1 ? "" : "s"}.`, false, {
        words: "Undo",
        run: () => void undo(before),
      });
      refresh();
      setTyped(null);
      onClose();
    } catch (error) {
      complain(error);
    }
  };
  const what = frames.length === 1 ? frames[0]?.name : `${frames.length} frames`;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          {...focus}
          className="fixed left-1/2 top-1/2 z-40 w-[520px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 font-slab text-xl font-semibold">Describe {what}</Dialog.Title>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              void save();
            }}
          >
            <div className="grid grid-cols-[72px_1fr] items-center gap-x-3 gap-y-1.5">
              {FIELDS.map(([name, label]) => {
                const value = typed[name] ?? common?.[name] ?? "";
                const hint =
                  common && common[name] === null && typed[name] === undefined ? "differs; stays as it is" : "";
                const change = (text: string) => setTyped({ ...typed, [name]: text });
                return (
                  <div key={name} className="contents">
                    <label htmlFor={`describe-${name}`}>{label}</label>
                    {name === "caption" ? (
                      <textarea
                        id={`describe-${name}`}
                        value={value}
                        placeholder={hint}
                        rows={3}
                        maxLength={4000}
                        onChange={(e) => change(e.currentTarget.value)}
                        className={`${LOOK} py-1`}
                      />
                    ) : (
                      <input
                        id={`describe-${name}`}
                        value={value}
                        placeholder={hint}
                        maxLength={4000}
                        onChange={(e) => change(e.currentTarget.value)}
                        className={`${LOOK} h-7`}
                      />
                    )}
                  </div>
                );
              })}
              <label htmlFor="describe-keywords">Keywords</label>
              <input
                id="describe-keywords"
                value={keywords}
                placeholder="with commas between"
                onChange={(e) => setTyped({ ...typed, keywords: e.currentTarget.value })}
                className={`${LOOK} h-7`}
              />
              {common && common.keywords_of_some.length > 0 && (
                <p className="col-start-2 text-xs text-ink2">
                  Some of them also have {common.keywords_of_some.slice(0, 12).join(", ")}; that stays.
                </p>
              )}
            </div>
            <p className="mt-3 text-xs text-ink2">
              Originals are not touched. What is written here goes into deliveries.
            </p>
            <div className="mt-3 flex justify-end gap-2">
              <Button
                onClick={() => {
                  setTyped(null);
                  onClose();
                }}
              >
                Cancel
              </Button>
              <Button ink type="submit" disabled={!common}>
                Write
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
