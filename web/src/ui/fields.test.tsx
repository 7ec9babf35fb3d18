import { act, useState } from "react";
import { afterEach, beforeEach, expect, it } from "vitest";
import { Button, Choices, Switch } from "./controls";
import { Fader } from "./fader";
import { KeysDialog } from "./keys_dialog";
import { NumberField } from "./number_field";
import { click, named, openPage, type Page, point, press, type } from "./page_for_tests";
import { isTyped } from "./typing";

let page: Page;
beforeEach(() => {
  page = openPage();
});
afterEach(() => page.close());

function Field({ log }: { log: number[] }) {
  const [value, setValue] = useState(1);
  return (
    <NumberField
      label="Radius"
      text={String(value)}
      onSet={(v) => {
        log.push(v);
        setValue(v);
      }}
    />
  );
}

it("a number is set by Enter and taken back by Escape", () => {
  const log: number[] = [];
  page.show(<Field log={log} />);
  const field = named<HTMLInputElement>(page.place, "Radius");
  type(field, "2,5");
  expect(log).toEqual([]);
  press(field, "Enter");
  expect(log).toEqual([2.5]);
  expect(field.value).toBe("2.5");
  act(() => field.focus());
  type(field, "9");
  press(field, "Escape");
  expect(log).toEqual([2.5]);
  expect(field.value).toBe("2.5");
});

it("Escape lets go of what is typed and of nothing else: the field keeps the keyboard, the next one is the page's", () => {
  const log: number[] = [];
  page.show(<Field log={log} />);
  const field = named<HTMLInputElement>(page.place, "Radius");
  act(() => field.focus());
  type(field, "9");
  expect(heardKeys(field, [["Escape"]])).toEqual([]);
  expect(document.activeElement).toBe(field);
  expect(heardKeys(field, [["Escape"], ["ArrowRight"]])).toEqual(["Escape typed", "ArrowRight"]);
  act(() => field.blur());
  expect(log).toEqual([]);
});

it("what is no number changes nothing", () => {
  const log: number[] = [];
  page.show(<Field log={log} />);
  const field = named<HTMLInputElement>(page.place, "Radius");
  type(field, "wide");
  press(field, "Enter");
  expect(log).toEqual([]);
  expect(field.value).toBe("1");
});

/** Which keys of a field reach the page, and whether the field still takes them. */
function heardKeys(field: Element, keys: [string, KeyboardEventInit?][]): string[] {
  const heard: string[] = [];
  const listen = (e: KeyboardEvent) => {
    heard.push(`${e.key}${e.defaultPrevented ? "" : " typed"}`);
    if (isTyped(e)) heard.push("none of the page's");
  };
  window.addEventListener("keydown", listen);
  for (const [key, more] of keys) press(field, key, more);
  window.removeEventListener("keydown", listen);
  return heard;
}

it("keys that type nothing are the page's while a number has the keyboard", () => {
  page.show(<Field log={[]} />);
  const field = named<HTMLInputElement>(page.place, "Radius");
  act(() => field.focus());
  const along: [string][] = [["ArrowLeft"], ["ArrowRight"]];
  expect(heardKeys(field, [["f"], ["z", { ctrlKey: true }], ["5"], ["-"], ["Backspace"], ...along])).toEqual([
    "f",
    "z",
  ]);
  expect(heardKeys(field, [["!", { shiftKey: true, code: "Digit1" }]])).toEqual(["!"]);
  type(field, "2");
  expect(heardKeys(field, [["f"], ["z", { ctrlKey: true }], ...along])).toEqual([]);
  press(field, "Enter");
  expect(heardKeys(field, [["o"], ...along])).toEqual(["o", "ArrowLeft", "ArrowRight"]);
});

it("arrows step a number from what is typed or from its value", () => {
  const steps: [number, number | null][] = [];
  page.show(
    <NumberField label="Radius" text="1" onSet={() => undefined} onStep={(n, typed) => steps.push([n, typed])} />,
  );
  const field = named<HTMLInputElement>(page.place, "Radius");
  press(field, "ArrowUp");
  press(field, "ArrowDown", { shiftKey: true });
  type(field, "7");
  press(field, "ArrowUp");
  expect(steps).toEqual([
    [1, null],
    [-10, null],
    [1, 7],
  ]);
  expect(field.value).toBe("1");
});

it("a button with nothing to do keeps the keyboard and does nothing", () => {
  let pressed = 0;
  const button = (disabled: boolean) => (
    <Button
      disabled={disabled}
      onClick={() => {
        pressed += 1;
      }}
    >
      Undo
    </Button>
  );
  page.show(button(false));
  const element = named<HTMLButtonElement>(page.place, "Undo");
  element.focus();
  click(element);
  page.show(button(true));
  click(element);
  expect([pressed, document.activeElement === element, element.getAttribute("aria-disabled")]).toEqual([
    1,
    true,
    "true",
  ]);
});

function Key({ log }: { log: string[] }) {
  const [value, setValue] = useState(95);
  return (
    <Fader
      name="red"
      label="Red, saturation"
      help="Of reds."
      ink="#c00"
      value={value}
      onDraft={(v) => log.push(`draft ${v}`)}
      onSet={(v) => {
        log.push(`set ${v}`);
        setValue(v);
      }}
      onCancel={() => log.push("cancel")}
    />
  );
}

it("a fader moves by arrows, stops at its ends and resets", () => {
  const log: string[] = [];
  page.show(<Key log={log} />);
  const fader = named(page.place, "Red, saturation");
  press(fader, "ArrowUp");
  press(fader, "ArrowUp", { shiftKey: true });
  press(fader, "ArrowLeft", { shiftKey: true });
  press(fader, "Delete");
  press(fader, "ArrowUp", { ctrlKey: true });
  expect(log).toEqual(["set 96", "set 100", "set 90", "set 0"]);
  expect(fader.getAttribute("aria-valuenow")).toBe("0");
});

it("a dragged fader drafts until it is let go, and Escape takes the drag back", () => {
  const log: string[] = [];
  page.show(<Key log={log} />);
  const fader = named(page.place, "Red, saturation");
  fader.getBoundingClientRect = () => ({ top: 0, left: 0, width: 32, height: 112 }) as DOMRect;
  point(fader, "down", 16, 56);
  point(fader, "move", 16, 32);
  point(fader, "up", 16, 32);
  expect(log).toEqual(["draft 0", "draft 50", "set 50"]);
  log.length = 0;
  point(fader, "down", 16, 80);
  press(window, "Escape");
  point(fader, "move", 16, 100);
  point(fader, "up", 16, 100);
  expect(log).toEqual(["draft -50", "cancel"]);
});

it("a row of choices is walked through by arrows, round its ends", () => {
  const said: string[] = [];
  const options = [
    ["clip", "Clip"],
    ["neutral", "Neutral"],
    ["rebuild", "Rebuild"],
  ] as const;
  page.show(<Choices label="Way" value="clip" options={options} onChange={(v) => said.push(v)} />);
  const radios = [...page.place.querySelectorAll('[role="radio"]')] as HTMLElement[];
  expect(radios.map((r) => r.tabIndex)).toEqual([0, -1, -1]);
  press(radios[0] as HTMLElement, "ArrowRight");
  press(radios[0] as HTMLElement, "ArrowLeft");
  click(radios[2] as HTMLElement);
  expect(said).toEqual(["neutral", "rebuild", "rebuild"]);
});

it("a switch says what it is and turns over", () => {
  const said: boolean[] = [];
  page.show(<Switch on={false} label="Lens profile" onChange={(on) => said.push(on)} />);
  const button = named(page.place, "Lens profile");
  expect(button.getAttribute("aria-checked")).toBe("false");
  click(button);
  expect(said).toEqual([true]);
});

it("the list of keys opens with the question mark, but not out of a field", () => {
  page.show(
    <>
      <KeysDialog />
      <input aria-label="Name" />
    </>,
  );
  press(named(page.place, "Name"), "?");
  expect(document.body.textContent).not.toContain("hold the original");
  press(window, "?");
  expect(document.body.textContent).toContain("hold the original");
  press(document.activeElement ?? document.body, "Escape");
});
