"""Measures drags in headless Chromium on a running Zincplate: pictures a second, hand to screen, and how soon it is sharp.

``.venv/bin/python tools/measure_drag.py http://127.0.0.1:8700 [--frame TW-0090] [--windows 1280x800 2560x1440 3840x2160]``

The browser runs on the same machine and shares its cores. *Hand to screen* is from the pointer's event to the frame of the screen
after the picture of its value was drawn; *sharp* from letting go to the full-size picture, or 0 when it stood there already.
*Stolen* is the share of the processors' time that the host of a virtual machine gave to others meanwhile, *loop* what a piece of
plain Python takes just before: figures of two hours may be compared where both agree.
"""

import argparse
import asyncio
import json
import statistics
import time
import urllib.request
from pathlib import Path
from typing import Any

from playwright.async_api import Browser, Page, async_playwright, expect

ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking", "--no-first-run"]
DRAGS = (
    ("tone", "Exposure", "fit"),
    ("tone", "Shadows", "fit"),
    ("colour", "Vibrance", "fit"),
    ("definition", "Clarity", "fit"),
    ("framing", "Angle", "fit"),
    ("tone", "Exposure", "1:1"),
)
MOVES, PAUSE_MS = 170, 16
"""The last one leaves the gauge at another value than the first: what is let go is saved."""

WATCH = """
(() => {
  const m = (window.measured = { input: 0, asked: 0, shown: [], released: 0, ids: new Map(), arrived: 0 });
  addEventListener('pointermove', () => (m.input = performance.now()), true);
  addEventListener('pointerup', () => (m.released = performance.now()), true);
  const direct = window.fetch.bind(window);
  window.fetch = async (request, init) => {
    const url = typeof request === 'string' ? request : request.url;
    const view = /\\/view$/.test(url) ? { id: ++m.asked, input: m.input } : null;
    const answer = await direct(request, init);
    if (view) {
      const bytes = answer.arrayBuffer.bind(answer);
      answer.arrayBuffer = async () => { const data = await bytes(); m.arrived = view; return data; };
    }
    return answer;
  };
  const decode = window.createImageBitmap.bind(window);
  window.createImageBitmap = async (...args) => {
    const of = m.arrived;
    const bitmap = await decode(...args);
    m.ids.set(bitmap, of);
    return bitmap;
  };
  // small pictures come as plain pixels
  window.ImageData = new Proxy(window.ImageData, {
    construct: (kind, args) => {
      const pixels = new kind(...args);
      if (m.arrived) { m.ids.set(pixels, m.arrived); }
      return pixels;
    },
  });
  for (const way of ['drawImage', 'putImageData']) {
    const draw = CanvasRenderingContext2D.prototype[way];
    CanvasRenderingContext2D.prototype[way] = function (source, ...rest) {
      const of = m.ids.get(source);
      if (of && !of.done && this.canvas.clientWidth > 300) {
        of.done = true;
        requestAnimationFrame(() => {
          m.shown.push({ id: of.id, input: of.input, at: performance.now(), width: source.width });
        });
      }
      return draw.call(this, source, ...rest);
    };
  }
})();
"""


def processor_ticks() -> tuple[int, int]:
    """Of all processors since the start: ticks that the host gave to others, and all (the eighth field of ``/proc/stat``)."""
    ticks = [int(v) for v in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
    return ticks[7], sum(ticks)


def loop_ms() -> float:
    """Three million additions: about 200 ms on the machine of the README in a quick hour."""
    start, total = time.perf_counter(), 0
    for i in range(3_000_000):
        total += i
    return (time.perf_counter() - start) * 1000


def quantile(values: list[float], share: float) -> float:
    """Of sorted values, the one at a share."""
    ordered = sorted(values)
    return ordered[min(int(share * len(ordered)), len(ordered) - 1)]


async def drag(page: Page, name: str) -> dict[str, Any]:
    """Drags one gauge to and fro, then lets go. The hand does not wait for the page: its moves are sent at their own pace."""
    box = await page.get_by_role("slider", name=name, exact=True).bounding_box()
    assert box is not None
    x, y, reach = box["x"] + box["width"] / 2, box["y"] + 12, box["width"] * 0.3
    hand = await page.context.new_cdp_session(page)

    async def move(to: float, kind: str = "mouseMoved") -> None:
        await hand.send(
            "Input.dispatchMouseEvent",
            {"type": kind, "x": to, "y": y, "button": "left", "buttons": 1, "pointerType": "mouse", "clickCount": 1},
        )

    await page.mouse.move(x, y)
    await page.mouse.down()
    # the first pictures make what the others find, and find the size at which they come in time
    for i in range(60):
        await move(x + 5 + i % 20)
        await asyncio.sleep(0.02)
    await page.evaluate("measured.shown = []; measured.started = performance.now()")
    stolen, ticks = processor_ticks()
    sent = []
    for i in range(MOVES):
        to = x + reach * ((i % 45) / 45 if (i // 45) % 2 == 0 else 1 - (i % 45) / 45) + 0.5
        sent.append(asyncio.ensure_future(move(to)))
        await asyncio.sleep(PAUSE_MS / 1000)
    await asyncio.gather(*sent)
    moving = await page.evaluate("({ shown: measured.shown.slice(), since: performance.now() - measured.started })")
    stolen, ticks = (now - then for now, then in zip(processor_ticks(), (stolen, ticks), strict=True))
    await move(to, "mouseReleased")
    await page.wait_for_timeout(2000)
    after = await page.evaluate("({ shown: measured.shown, released: measured.released })")
    await page.mouse.up()
    widest = max(s["width"] for s in after["shown"])
    already = moving["shown"][-1]["width"] == widest
    sharp = [s["at"] - after["released"] for s in after["shown"] if s["at"] > after["released"] and s["width"] == widest]
    times = [s["at"] - s["input"] for s in moving["shown"]]
    return {
        "pictures_per_s": round(len(times) / moving["since"] * 1000, 1),
        "median_ms": round(statistics.median(times)),
        "p95_ms": round(quantile(times, 0.95)),
        "stolen_percent": round(100 * stolen / max(ticks, 1)),
        "moving_px": round(statistics.median(s["width"] for s in moving["shown"])),
        "sharp_px": widest,
        "sharp_ms": 0 if already and not sharp else round(sharp[0]) if sharp else None,
    }


async def measure(browser: Browser, url: str, shoot: int, frame: int, size: tuple[int, int]) -> None:
    """All drags in one window."""
    context = await browser.new_context(viewport={"width": size[0], "height": size[1]}, reduced_motion="reduce")
    page = await context.new_page()
    await page.add_init_script(WATCH)
    for step, name, zoom in DRAGS:
        await page.goto(f"{url}/shoots/{shoot}/frames/{frame}?step={step}")
        await expect(page.get_by_role("contentinfo")).to_contain_text("drawn in", timeout=60_000)
        await page.wait_for_timeout(1500)
        if zoom == "1:1":
            await page.keyboard.press("f")
            await page.wait_for_timeout(1500)
        loop = round(loop_ms())
        print(
            f"{size[0]:5} x {size[1]:4}  {name:9} {zoom:4}", json.dumps({**await drag(page, name), "loop_ms": loop}), flush=True
        )
        await page.keyboard.press("Control+z")
        await page.wait_for_timeout(500)
    await context.close()


async def run(arguments: argparse.Namespace) -> None:
    """All windows."""

    def get(path: str) -> Any:
        with urllib.request.urlopen(arguments.url + path) as answer:  # noqa: S310
            return json.load(answer)

    for shoot in get("/api/shoots")["shoots"]:
        columns = get(f"/api/shoots/{shoot['id']}/frames")["columns"]
        for frame, name, width, height in zip(*(columns[k] for k in ("id", "name", "width", "height")), strict=True):
            if name.startswith(arguments.frame):
                found = shoot["id"], frame
                print(name, width, "x", height)
    async with async_playwright() as playwright:
        browser = await playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        for text in arguments.windows:
            width, height = (int(v) for v in text.split("x"))
            await measure(browser, arguments.url, *found, (width, height))
        await browser.close()


def main() -> None:
    """Reads the command line and measures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("url")
    parser.add_argument("--frame", default="TW-0090", help="name of the frame, without its ending")
    parser.add_argument("--windows", nargs="+", default=["1280x800", "2560x1440", "3840x2160"])
    arguments = parser.parse_args()
    asyncio.run(run(arguments))


if __name__ == "__main__":
    main()
