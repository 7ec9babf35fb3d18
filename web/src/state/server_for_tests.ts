import { ApiError, type Version } from "../api/client";
import { NEUTRAL, type Recipe } from "../api/generated/recipe";
import { equal } from "./equal";
import { difference, patched } from "./patch";
import type { Entry } from "./saving";

interface Step {
  recipe: Recipe;
  gesture: string;
}

/** One version as the server keeps it: revisions, history with gestures, changes made once. For tests only. */
export class VersionForTests {
  revision = 0;
  position = 0;
  steps: Step[] = [{ recipe: structuredClone(NEUTRAL.raw), gesture: "" }];
  made: string[] = [];
  /** How far from the current entry what entries put is told. */
  known = 15;

  constructor(readonly id: number) {}

  get recipe(): Recipe {
    return (this.steps[this.position] as Step).recipe;
  }

  /** With ``near`` only the entries about the current one. */
  state(near = false): Version {
    const all = this.history();
    return structuredClone({
      id: this.id,
      frame: this.id,
      number: 1,
      name: "",
      revision: this.revision,
      position: this.position,
      adjusted: this.position > 0,
      recipe: this.recipe,
      history: near ? all.filter((e) => Math.abs(e.position - this.position) <= this.known) : all,
      entries: all.length,
      states: [],
      thumb: "",
      last_change: this.made.at(-1) ?? "",
      notes: [],
      remarks: [],
    });
  }

  private history(): Version["history"] {
    return this.steps.map(({ recipe, gesture }, position) => {
      const before = this.steps[position - 1]?.recipe;
      const near = before && Math.abs(position - this.position) <= this.known;
      const forth = near ? difference(before, recipe) : null;
      const back = near ? difference(recipe, before) : null;
      return { position, words: `entry ${position}`, at: "", gesture, forth, back, bulk: null };
    });
  }

  /** Makes a change as the server does; throws what the page gets for an error. */
  change(revision: number, { id, deed }: Pick<Entry, "id" | "deed">): Version {
    if (this.made.includes(id)) return this.state();
    if (revision !== this.revision) throw new ApiError(409, "changed elsewhere", this.state());
    if (deed.do === "set") this.put(patched(this.recipe, deed.patch), deed.gesture);
    else if (deed.do === "undo") this.go(this.position - 1);
    else if (deed.do === "redo") this.go(this.position + 1);
    else if (deed.do === "go") this.go(deed.position);
    this.made.push(id);
    return this.state(true);
  }

  private put(recipe: Recipe, gesture: string): void {
    if (recipe.tone.exposure_ev > 5) throw new ApiError(422, "too much");
    if (equal(recipe, this.recipe)) return;
    const goesOn = gesture !== "" && this.position > 0 && this.steps[this.position]?.gesture === gesture;
    if (!goesOn) this.position += 1;
    this.steps = [...this.steps.slice(0, this.position), { recipe, gesture }];
    if (equal(recipe, this.steps[this.position - 1]?.recipe)) {
      this.steps.pop();
      this.position -= 1;
    }
    this.revision += 1;
  }

  private go(position: number): void {
    if (!this.steps[position]) throw new ApiError(422, "nothing there");
    if (position === this.position) return;
    this.position = position;
    this.revision += 1;
  }
}
