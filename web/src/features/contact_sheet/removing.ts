import { api, type Frame, need } from "../../api/client";
import { complain, useNotices } from "../../state/notices";
import { queryClient } from "../../state/queries";
import { useSelection } from "../../state/selection";

const refresh = () => {
  for (const key of ["frames", "shoots"]) void queryClient.invalidateQueries({ queryKey: [key] });
};

export async function bringBack(frames: number[]): Promise<void> {
  try {
    await need(api.POST("/api/frames/restore", { body: { frames } }));
    refresh();
  } catch (error) {
    complain(error);
  }
}

/** Takes frames out of their shoot. Nothing is deleted, and it can be undone. */
export async function takeOut(shoot: number, picked: readonly Frame[]): Promise<void> {
  const frames = picked.map((f) => f.id);
  try {
    await need(api.POST("/api/frames/remove", { body: { frames } }));
    useSelection.getState().choose(shoot, []);
    refresh();
    const what = picked.length === 1 ? picked[0]?.name : `${picked.length} frames`;
    useNotices.getState().say(`${what} taken out of the shoot. The originals stay where they are.`, false, {
      words: "Undo",
      run: () => void bringBack(frames),
    });
  } catch (error) {
    complain(error);
  }
}
