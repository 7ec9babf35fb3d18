import { Dialog } from "radix-ui";
import { type DragEvent, type ReactNode, useRef, useState } from "react";
import { api, need, offlineSafe } from "../../api/client";
import { complain } from "../../state/notices";
import { once } from "../../state/once";
import { queryClient } from "../../state/queries";
import { useRecipePresets } from "../../state/recipe_presets";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";
import { useFocusReturn } from "../../ui/focus";

type Source = "card" | "folder" | "uploads";

interface Props {
  /** What is in the reader; null until that is known. */
  card: { present: boolean; name: string; files: number } | null;
  /** Bring into this shoot; otherwise a new one is made. */
  shoot?: { id: number; name: string };
  dropped: File[] | null;
  open: boolean;
  onClose: () => void;
}

/** Sends dropped files one after the other until that is called off; returns their batch. */
async function send(files: File[], told: (done: number) => void, signal: AbortSignal): Promise<string> {
  const batch = crypto.randomUUID();
  for (const [i, file] of files.entries()) {
    await offlineSafe(() =>
      fetch(`/api/uploads/${batch}/${encodeURIComponent(file.name)}`, {
        method: "PUT",
        headers: { "X-Zincplate": "1" },
        body: file,
        signal,
      }),
    );
    told(i + 1);
    signal.throwIfAborted();
  }
  return batch;
}

/** Card, folder or dropped files -> a shoot. */
export function BringIn({ card, shoot, dropped, open, onClose }: Props) {
  const [source, setSource] = useState<Source | null>(null);
  const [name, setName] = useState("");
  const [folder, setFolder] = useState("");
  const [reference, setReference] = useState(false);
  const [watch, setWatch] = useState(false);
  const [folders, setFolders] = useState(false);
  const [preset, setPreset] = useState("");
  const presets = useRecipePresets();
  const [picked, setPicked] = useState<File[]>([]);
  const [sent, setSent] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  /** Calls off what is being sent; null while nothing is. */
  const sending = useRef<AbortController | null>(null);
  const focus = useFocusReturn();
  const files = dropped ?? picked;
  const chosen: Source = source ?? (dropped ? "uploads" : card === null || card.present ? "card" : "folder");
  const close = () => {
    sending.current?.abort();
    sending.current = null;
    setProblem("");
    setSent(null);
    setPicked([]);
    setSource(null);
    onClose();
  };
  const start = async () => {
    setProblem("");
    const stop = new AbortController();
    try {
      if (chosen === "uploads" && !files.length) throw new Error("Choose the files to bring in.");
      if (chosen === "folder" && !folder.trim()) throw new Error("Name the folder to bring in.");
      let batch = "";
      if (chosen === "uploads") {
        sending.current = stop;
        setSent(0);
        batch = await send(files, setSent, stop.signal);
        sending.current = null;
      }
      const title = name.trim() || `Brought in ${new Date().toLocaleDateString(undefined, { dateStyle: "medium" })}`;
      const asked = {
        shoot: shoot?.id ?? null,
        name: title,
        source: chosen,
        folder,
        reference: chosen === "folder" && reference,
        batch,
        preset,
        watch: chosen === "folder" && watch,
        keep_folders: chosen !== "uploads" && folders,
      };
      const started = await once(["bring in", asked], (request_key) =>
        need(api.POST("/api/bring-in", { body: { ...asked, request_key } })),
      );
      await queryClient.invalidateQueries({ queryKey: ["shoots"] });
      close();
      go({ place: "sheet", shoot: started.shoot });
    } catch (error) {
      if (stop.signal.aborted) return;
      setSent(null);
      setProblem(error instanceof Error ? error.message : String(error));
      sending.current = null;
    }
  };
  return (
    // a press beside it, or Esc, does not call off what is being sent: Cancel does
    <Dialog.Root open={open} onOpenChange={(o) => !o && !sending.current && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          {...focus}
          className="fixed left-1/2 top-1/2 z-40 w-[520px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 font-slab text-xl font-semibold">
            Bring in{shoot ? ` to ${shoot.name}` : ""}
          </Dialog.Title>
          <fieldset className="flex flex-col gap-1.5">
            <legend className="sr-only">From where</legend>
            <Way on={chosen === "card"} disabled={!card?.present} onPick={() => setSource("card")}>
              {card === null
                ? "Memory card: looking into the reader"
                : card.present
                  ? `Memory card ${card.name}, ${card.files} files`
                  : "Memory card: none in the reader"}
            </Way>
            <Way on={chosen === "folder"} onPick={() => setSource("folder")}>
              Folder on this machine
            </Way>
            {chosen === "folder" && (
              <div className="ml-6 flex flex-col gap-1.5">
                <input
                  aria-label="Folder, whole path"
                  placeholder="The whole path, starting with /"
                  value={folder}
                  onChange={(e) => setFolder(e.currentTarget.value)}
                  className="h-8 border border-ink3 bg-white px-2"
                />
                <label className="flex min-h-7 items-center gap-2">
                  <input type="checkbox" checked={reference} onChange={(e) => setReference(e.currentTarget.checked)} />
                  Leave the files where they are, do not copy them
                </label>
                <label className="flex min-h-7 items-center gap-2">
                  <input type="checkbox" checked={watch} onChange={(e) => setWatch(e.currentTarget.checked)} />
                  Go on watching it: new files come in when they are complete
                </label>
              </div>
            )}
            <Way on={chosen === "uploads"} onPick={() => setSource("uploads")}>
              {files.length
                ? `${files.length} file${files.length > 1 ? "s" : ""} from here`
                : "Files, dropped or chosen"}
            </Way>
            {chosen === "uploads" && !dropped && (
              <input
                type="file"
                multiple
                aria-label="Files"
                className="ml-6"
                onChange={(e) => setPicked([...(e.currentTarget.files ?? [])])}
              />
            )}
          </fieldset>
          {!shoot && (
            <label className="mt-4 flex flex-col gap-1">
              <span className="text-sm text-ink2">Name of the new shoot</span>
              <input
                value={name}
                maxLength={120}
                onChange={(e) => setName(e.currentTarget.value)}
                placeholder="Kiln opening, Tuesday"
                className="h-8 border border-ink3 bg-white px-2"
              />
            </label>
          )}
          <label className="mt-3 flex items-center gap-2">
            <span className="text-sm text-ink2">Preset for all of them</span>
            <select
              value={preset}
              onChange={(e) => setPreset(e.currentTarget.value)}
              className="h-8 min-w-0 grow border border-ink3 bg-white px-1"
            >
              <option value="">none</option>
              {presets.data?.presets.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
            </select>
          </label>
          {chosen !== "uploads" && (
            <label className="mt-2 flex min-h-7 items-center gap-2">
              <input type="checkbox" checked={folders} onChange={(e) => setFolders(e.currentTarget.checked)} />
              Keep its subfolders as folders of the shoot
            </label>
          )}
          {problem && (
            <p role="alert" className="mt-3 border-l-4 border-wax pl-2 font-medium">
              {problem}
            </p>
          )}
          <div className="mt-5 flex items-center justify-end gap-2">
            {sent !== null && (
              <span className="grow text-sm text-ink2">
                {sent} of {files.length} files sent
              </span>
            )}
            <Button onClick={close}>Cancel</Button>
            <Button ink disabled={sent !== null || (chosen === "card" && !card)} onClick={start}>
              Bring in
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Way(props: { on: boolean; disabled?: boolean; onPick: () => void; children: ReactNode }) {
  return (
    <label className={`flex min-h-7 items-center gap-2 ${props.disabled ? "text-ink3" : ""}`}>
      <input type="radio" name="source" checked={props.on} disabled={props.disabled} onChange={props.onPick} />
      {props.children}
    </label>
  );
}

/** Files dropped anywhere on a place. */
export function useDrop(onFiles: (files: File[]) => void) {
  const [over, setOver] = useState(false);
  return {
    over,
    handlers: {
      onDragOver: (e: DragEvent) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(true);
      },
      onDragLeave: (e: DragEvent) => {
        if (!e.currentTarget.contains(e.relatedTarget as Node | null)) setOver(false);
      },
      onDrop: (e: DragEvent) => {
        e.preventDefault();
        setOver(false);
        const files = [...e.dataTransfer.files];
        if (files.length) onFiles(files);
        else complain("These cannot be brought in; drop files.");
      },
    },
  };
}
