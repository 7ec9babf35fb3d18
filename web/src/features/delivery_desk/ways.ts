import type { Preset } from "../../api/client";
import { memorise, recalled } from "../../state/memory";

/** One way to deliver: taken or not, and its settings as they were changed here. */
export interface Way {
  on: boolean;
  preset: Preset;
}

const KEY = "zincplate.ways";
type Kept = Record<string, { on?: boolean; change?: Partial<Preset> }>;

const kept = (): Kept => (recalled(KEY) ?? {}) as Kept;

/** Settings of a preset that were changed from what it comes with. */
export function changesOf(preset: Preset, plain: Preset): Partial<Preset> {
  const names = Object.keys(preset) as (keyof Preset)[];
  return Object.fromEntries(names.filter((n) => preset[n] !== plain[n]).map((n) => [n, preset[n]]));
}

/** Presets with what was set the last time; the first is taken where nothing was. */
export function waysOf(presets: readonly Preset[]): Way[] {
  const last = kept();
  return presets.map((plain, i) => {
    const { on, change } = last[plain.name] ?? {};
    // what it no longer has, or was called otherwise, is not brought back
    const known = Object.entries(change ?? {}).filter(([n]) => n in plain && n !== "name");
    return { on: on ?? i === 0, preset: { ...plain, ...Object.fromEntries(known) } };
  });
}

/** Remembers what is taken and what was changed for the next time, in this browser. */
export function remember(ways: readonly Way[], presets: readonly Preset[]): void {
  const all: Kept = {};
  for (const { on, preset } of ways) {
    const plain = presets.find((p) => p.name === preset.name);
    if (plain) all[preset.name] = { on, change: changesOf(preset, plain) };
  }
  memorise(KEY, { ...kept(), ...all });
}
