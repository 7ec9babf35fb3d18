import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../../api/client";
import { complain, useNotices } from "../../state/notices";
import { queryClient, thumbUrl } from "../../state/queries";
import { Button } from "../../ui/controls";
import { SheetDialog } from "../../ui/sheet_dialog";
import { bringBack } from "./removing";

const megabytes = (bytes: number): string => `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;

/** Frames that were taken out of the shoot: brought back, or deleted for good. */
export function TakenOutSheet({ shoot, onClose }: { shoot: number; onClose: () => void }) {
  const key = ["taken out", shoot];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => need(api.GET("/api/shoots/{id}/taken-out", { params: { path: { id: shoot } } })),
    staleTime: 0,
  });
  const frames = data?.frames ?? [];
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [files, setFiles] = useState(false);
  const [sure, setSure] = useState(false);
  const picked = frames.filter((f) => chosen.has(f.id));
  const copies = picked.filter((f) => !f.referenced);
  const choose = (ids: Iterable<number>) => {
    setChosen(new Set(ids));
    setSure(false);
  };
  const done = () => {
    choose([]);
    void queryClient.invalidateQueries({ queryKey: key });
  };
  const erase = async () => {
    if (!sure) return setSure(true);
    try {
      const body = { frames: picked.map((f) => f.id), originals: files };
      const gone = await need(api.POST("/api/frames/erase", { body }));
      const freed = gone.files ? ` ${megabytes(gone.freed_bytes)} are free now.` : "";
      useNotices.getState().say(`${gone.frames} frame${gone.frames === 1 ? "" : "s"} deleted.${freed}`);
    } catch (error) {
      complain(error);
    }
    done();
  };
  return (
    <SheetDialog
      title="Taken out"
      about={frames.length ? `${frames.length} frame${frames.length === 1 ? "" : "s"}, the last one first` : "Nothing"}
      onClose={onClose}
      wide={false}
      foot={
        <>
          {sure ? (
            <span role="alert" className="font-medium text-wax">
              {`This cannot be undone${files && copies.length ? `, and deletes ${copies.length} original file${copies.length === 1 ? "" : "s"}` : ""}.`}
            </span>
          ) : (
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={files} onChange={(e) => setFiles(e.currentTarget.checked)} />
              our copies of the originals too
            </label>
          )}
          <span className="grow" />
          {sure && <Button onClick={() => setSure(false)}>Keep</Button>}
          <Button disabled={!picked.length} onClick={() => void erase()}>
            {sure ? "Delete for good" : `Delete ${picked.length || ""}`}
          </Button>
          <Button ink disabled={!picked.length} onClick={() => void bringBack(picked.map((f) => f.id)).then(done)}>
            Bring back {picked.length || ""}
          </Button>
        </>
      }
    >
      <div className="scroll-plain min-h-0 grow px-5 py-2">
        {!frames.length && <p className="py-2 text-ink2">No frame was taken out of this shoot.</p>}
        {frames.length > 1 && (
          <label className="flex items-center gap-3 border-b border-rule py-1.5 font-medium">
            <input
              type="checkbox"
              checked={picked.length === frames.length}
              onChange={(e) => choose(e.currentTarget.checked ? frames.map((f) => f.id) : [])}
            />
            all of them
          </label>
        )}
        {frames.map((f) => (
          <label key={f.id} className="flex items-center gap-3 border-b border-rule py-1">
            <input
              type="checkbox"
              checked={chosen.has(f.id)}
              onChange={(e) => {
                const set = new Set(chosen);
                if (e.currentTarget.checked) set.add(f.id);
                else set.delete(f.id);
                choose(set);
              }}
            />
            {f.thumb_state === "none" || f.thumb_state === "failed" ? (
              <span className="h-10 w-14 border border-rule bg-zinc" />
            ) : (
              <img src={thumbUrl(f)} alt="" className="h-10 w-14 object-contain" />
            )}
            <b className="font-semibold">{f.name}</b>
            <span className="ml-auto text-xs text-ink2">
              {f.referenced ? "file outside the library, never deleted" : megabytes(f.size_bytes)}
            </span>
          </label>
        ))}
      </div>
    </SheetDialog>
  );
}
