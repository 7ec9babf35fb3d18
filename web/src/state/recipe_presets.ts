import { useQuery } from "@tanstack/react-query";
import { api, need } from "../api/client";
import type { components } from "../api/generated/api";
import { complain, useNotices } from "./notices";
import { queryClient } from "./queries";

export type RecipePreset = components["schemas"]["RecipePresetOut"];

export const useRecipePresets = () =>
  useQuery({ queryKey: ["recipe-presets"], queryFn: () => need(api.GET("/api/recipe-presets")) });

export const refreshPresets = () => void queryClient.invalidateQueries({ queryKey: ["recipe-presets"] });

/** By folder; our own starts come last. */
export function byFolder(presets: readonly RecipePreset[]): [string, RecipePreset[]][] {
  const folders = new Map<string, RecipePreset[]>();
  for (const p of presets) {
    const name = p.own ? "Starts that come with Zincplate" : p.folder || "Your presets";
    folders.set(name, [...(folders.get(name) ?? []), p]);
  }
  return [...folders];
}

async function putBack(text: string): Promise<void> {
  try {
    await need(api.POST("/api/recipe-presets/import", { body: { text, replace: false } }));
    refreshPresets();
  } catch (error) {
    complain(error);
  }
}

export async function deletePreset(preset: RecipePreset): Promise<void> {
  try {
    const { text } = await need(api.DELETE("/api/recipe-presets", { params: { query: { id: preset.id } } }));
    refreshPresets();
    useNotices
      .getState()
      .say(`Preset ${preset.name} deleted.`, false, { words: "Undo", run: () => void putBack(text) });
  } catch (error) {
    complain(error);
  }
}

/** Takes in presets from files; each is told by itself. */
export async function importPresets(files: Iterable<File>): Promise<void> {
  for (const file of files) {
    try {
      const text = await file.text();
      const made = await need(api.POST("/api/recipe-presets/import", { body: { text, replace: false } }));
      useNotices.getState().say(`Preset ${made.name} taken in.`);
    } catch (error) {
      complain(`${file.name}: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  refreshPresets();
}
