import { act, useState } from "react";
import { afterEach, beforeEach, expect, it } from "vitest";
import { keepFocus, leave, useFocusReturn } from "./focus";
import { click, named, openPage, type Page, press } from "./page_for_tests";

let page: Page;
let stop: () => void;
beforeEach(() => {
  page = openPage();
  stop = keepFocus();
});
afterEach(() => {
  stop();
  page.close();
});

const settled = () => act(() => new Promise((done) => setTimeout(done, 20)));
const focused = () => document.activeElement?.getAttribute("aria-label") ?? document.activeElement?.textContent;

function Row({ frame, rows }: { frame: number; rows: string[] }) {
  return (
    <main>
      <section key={frame}>
        {rows.map((name) => (
          <button key={name} type="button" aria-label={name} />
        ))}
      </section>
      <h1 tabIndex={-1} data-place-start>
        place
      </h1>
    </main>
  );
}

it("the namesake takes the keyboard when a part is made anew", async () => {
  page.show(<Row frame={1} rows={["Exposure", "Contrast"]} />);
  act(() => named(page.place, "Contrast").focus());
  page.show(<Row frame={2} rows={["Exposure", "Contrast"]} />);
  await settled();
  expect(focused()).toBe("Contrast");
});

it("else the first in the nearest part that is there, and at last the beginning of the place", async () => {
  page.show(<Row frame={1} rows={["Exposure", "Contrast"]} />);
  act(() => named(page.place, "Contrast").focus());
  page.show(<Row frame={1} rows={["Exposure"]} />);
  await settled();
  expect(focused()).toBe("Exposure");
  page.show(
    <h1 tabIndex={-1} data-place-start>
      other place
    </h1>,
  );
  await settled();
  expect(focused()).toBe("other place");
});

function Asking({ busy }: { busy: boolean }) {
  return (
    <main>
      <button type="button" aria-label="Suggest" disabled={busy} />
      <button type="button" aria-label="Other" />
      <h1 tabIndex={-1} data-place-start>
        place
      </h1>
    </main>
  );
}

const HANDS: [string, string, (() => void) | null][] = [
  ["has it again", "Suggest", null],
  ["but not when the hand took it elsewhere meanwhile", "place", () => named(page.place, "Other").focus()],
  [
    "nor when a key was pressed there: undo that is possible again does not take the keyboard from the picture",
    "place",
    () => document.activeElement?.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowRight", bubbles: true })),
  ],
];

it.each(HANDS)("a button that is switched off while it works lends the keyboard and %s", async (_, has, hand) => {
  page.show(<Asking busy={false} />);
  act(() => named(page.place, "Suggest").focus());
  page.show(<Asking busy />);
  await settled();
  expect(focused()).toBe("place");
  act(() => {
    hand?.();
    page.place.querySelector<HTMLElement>("h1")?.focus();
  });
  page.show(<Asking busy={false} />);
  await settled();
  expect(focused()).toBe(has);
});

it("a namesake that is switched off is passed over", async () => {
  const rows = (key: string, off: boolean) => (
    <main>
      <section key={key}>
        <button type="button" aria-label="Black" disabled={off} />
        <button type="button" aria-label="White" />
      </section>
    </main>
  );
  page.show(rows("one", false));
  act(() => named(page.place, "Black").focus());
  page.show(rows("two", true));
  await settled();
  expect(focused()).toBe("White");
});

it("a keyboard that is somewhere is left alone", async () => {
  page.show(<Row frame={1} rows={["Exposure", "Contrast"]} />);
  act(() => named(page.place, "Exposure").focus());
  page.show(<Row frame={1} rows={["Exposure"]} />);
  await settled();
  expect(focused()).toBe("Exposure");
  act(() => (document.activeElement as HTMLElement).blur());
  page.show(<Row frame={1} rows={["Exposure", "New"]} />);
  await settled();
  expect(document.activeElement).toBe(document.body);
});

it("a tool that is put away leaves the place it lay on the keyboard", async () => {
  const bench = (tool: boolean) => (
    <div>
      <button type="button" aria-label="First step" />
      <main tabIndex={-1} data-place-start aria-label="Picture">
        <div>{tool && <button type="button" aria-label="Brush" />}</div>
      </main>
    </div>
  );
  page.show(bench(true));
  act(() => named(page.place, "Brush").focus());
  page.show(bench(false));
  await settled();
  expect(focused()).toBe("Picture");
});

it("leaving a field of words takes what was typed, and the keyboard to the place or its dialog", () => {
  const taken: string[] = [];
  const field = (
    <input
      aria-label="Name"
      onBlur={(e) => taken.push(e.currentTarget.value)}
      onKeyDown={(e) => leave(e.currentTarget)}
    />
  );
  page.show(
    <main>
      {field}
      <h1 tabIndex={-1} data-place-start>
        place
      </h1>
    </main>,
  );
  act(() => named(page.place, "Name").focus());
  press(named(page.place, "Name"), "Enter");
  expect(focused()).toBe("place");
  page.show(
    <div role="dialog" tabIndex={-1} aria-label="sheet">
      {field}
    </div>,
  );
  act(() => named(page.place, "Name").focus());
  press(named(page.place, "Name"), "Enter");
  expect(focused()).toBe("sheet");
  page.show(field);
  act(() => named(page.place, "Name").focus());
  press(named(page.place, "Name"), "Enter");
  expect(taken).toHaveLength(3);
});

function Opener() {
  const [open, setOpen] = useState(false);
  const focus = useFocusReturn();
  const toggle = (to: boolean) => {
    if (to) focus.onOpenAutoFocus();
    setOpen(to);
  };
  return (
    <>
      <button type="button" aria-label="Open" onClick={() => toggle(true)} />
      {open && <button type="button" aria-label="Close" onClick={() => focus.onCloseAutoFocus(new Event("close"))} />}
    </>
  );
}

it("a dialog gives the keyboard back to where it came from", () => {
  page.show(<Opener />);
  act(() => named(page.place, "Open").focus());
  click(named(page.place, "Open"));
  act(() => named(page.place, "Close").focus());
  click(named(page.place, "Close"));
  expect(focused()).toBe("Open");
});
