"""Packs finished renders for the demo: log codes, JPEG XL in tiles under 4 MB, depth, sky share, visitors, ``scenes.json``.

Run from the repository: ``PYTHONPATH=src .venv/bin/python tools/scenes/ship.py FOLDER_WITH_NPZ [NAME...]``.
A scene whose render is not in the folder keeps what was shipped before.
"""

import json
import math
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
from geo import NEAR_M

from zincplate.demo.scenes import Scene, encode_depth, encode_log, load

TARGET = Path(__file__).parents[2] / "src" / "zincplate" / "demo" / "data"
LIMIT = 3_900_000
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)

# name: horizontal field of view in degrees, luminance of the metered grey in cd/m2, largest number of tiles
SCENES: dict[str, tuple[float, float, int]] = {
    "works_front": (74, 2050, 1),
    "glaze_table": (40, 62, 1),
    "glaze_target": (40, 62, 1),
    "kiln_hall": (70, 26, 1),
    "clay_pit": (0, 2600, 3),
    "crackle_bowl": (36, 58, 1),
    "night_firing": (66, 0.008, 1),
    "bust": (24, 42, 1),
    "loading_door": (62, 55, 1),
    "yard_dusk": (70, 7.5, 1),
}
CYLINDER = {"clay_pit": {"focal_px": 2778.0, "up": 0.213}}
KILN_WINDOW = (1000, 760)


def pack(codes: np.ndarray) -> tuple[bytes, float]:
    """Smallest distance whose file stays under the limit."""
    for distance in (0.03, 0.05, 0.08, 0.12, 0.2, 0.3, 0.5):
        data = imagecodecs.jpegxl_encode(codes, distance=distance, effort=5)
        if len(data) <= LIMIT:
            return data, distance
    raise SystemExit("too large at every distance")


def picture(name: str, linear: np.ndarray, tiles: int) -> dict[str, Any]:
    """Writes the tiles of a picture; returns the facts that find it again."""
    codes, scale = encode_log(linear)
    files = []
    for k, part in enumerate(np.array_split(codes, tiles, axis=1)):
        data, distance = pack(np.ascontiguousarray(part))
        files.append(f"{name}.jxl" if tiles == 1 else f"{name}_{k}.jxl")
        (TARGET / files[-1]).write_bytes(data)
        print(f"  {files[-1]} {part.shape} {len(data)} bytes at distance {distance}")
    return {"files": files, "scale": scale}


def depth_of(name: str, depth: np.ndarray) -> dict[str, Any]:
    """Distance at half size, 12 bits of its logarithm, exact; code 0 is sky."""
    codes, scale = encode_depth(depth[: depth.shape[0] // 2 * 2 : 2, : depth.shape[1] // 2 * 2 : 2].astype(np.float64))
    data = imagecodecs.jpegxl_encode(codes, lossless=True, effort=5)
    (TARGET / f"{name}_depth.jxl").write_bytes(data)
    print(f"  depth {len(data)} bytes")
    return {"file": f"{name}_depth.jxl", **scale}


def from_pinhole(depth: np.ndarray, focal_px: float, centre_px: tuple[float, float]) -> np.ndarray:
    """Metres along the ray from the pinhole itself, of depths that the renderer counts from where its rays begin."""
    y, x = np.mgrid[0 : depth.shape[0], 0 : depth.shape[1]].astype(np.float32)
    secant = np.sqrt(1 + ((x - centre_px[0]) / focal_px) ** 2 + ((y - centre_px[1]) / focal_px) ** 2)
    return np.where(depth > 0, depth + np.float32(NEAR_M) * secant, 0).astype(np.float32)


def changed(clean: np.ndarray, window: np.ndarray) -> np.ndarray:
    """(h, w) 0..255 where a passer-by or their shadow is; the renderer's own noise between two runs is not counted."""
    a, b = (cv2.GaussianBlur(np.log2(p @ LUMINANCE + 2e-4), (0, 0), 2.5) for p in (clean, window))
    strong = (np.abs(a - b) > 0.16).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats((np.abs(a - b) > 0.45).astype(np.uint8))
    x, y, w, h, _ = stats[1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))]  # coat and head; legs and shadow are fainter
    keep = np.zeros_like(strong)
    around = (slice(max(y - 20, 0), y + h + 130), slice(max(x - 45, 0), x + w + 45))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(strong[around])
    keep[around] = np.isin(labels, [i for i in range(1, count) if stats[i, cv2.CC_STAT_AREA] > 120])
    wide = cv2.morphologyEx(keep, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (25, 25)))
    wide = cv2.dilate(wide, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
    return np.round(cv2.GaussianBlur(wide.astype(np.float32), (0, 0), 2.0) * 255).astype(np.uint8)


def mended(scene: Scene, windows: list[Path], read: Callable[[Path], Any] = np.load) -> dict[str, np.ndarray]:
    """A shipped scene with windows of it that were rendered again blended in over 24 picture elements."""
    linear, depth = scene.linear_rec709.copy(), scene.depth_m.copy()
    height, width = depth.shape
    for path in windows:
        part = read(path)
        (x, y), (h, w) = part["at"], part["depth"].shape

        def ramp(n: int, first: bool, last: bool) -> np.ndarray:
            at = np.arange(n, dtype=np.float32)
            inside = np.minimum(np.inf if first else at + 0.5, np.inf if last else n - 0.5 - at)
            return np.clip(inside / 24, 0, 1).astype(np.float32)

        share = np.minimum(ramp(h, y == 0, y + h == height)[:, None], ramp(w, x == 0, x + w == width)[None])[..., None]
        at = (slice(y, y + h), slice(x, x + w))
        linear[at] += (np.maximum(part["den"].astype(np.float32), 0) - linear[at]) * share
        depth[at] = from_pinhole(part["depth"], scene.focal, (scene.centre[0] - x, scene.centre[1] - y))
    return {"den": linear, "depth": depth}


def main(folder: Path, names: list[str]) -> None:
    """Packs what is there."""
    path = TARGET / "scenes.json"
    facts = json.loads(path.read_text()) if path.exists() else {}
    for name, (view_degrees, grey_cd_m2, tiles) in SCENES.items():
        source = folder / f"{name}.npz"
        windows = sorted(folder.glob(f"{name}_window_*.npz"))
        if (names and name not in names) or not (source.exists() or windows):
            continue
        print(name)
        whole = source.exists()
        render = np.load(source) if whole else mended(load(name), windows)
        linear = np.maximum(render["den"].astype(np.float32), 0)
        height, width = linear.shape[:2]
        focal = CYLINDER[name]["focal_px"] if name in CYLINDER else width / 2 / math.tan(math.radians(view_degrees / 2))
        entry = picture(name, linear, tiles)
        luminance = linear @ LUMINANCE
        if "sky" in render:
            luminance = luminance[render["sky"] < 0.5]
            share = np.round(np.clip(render["sky"], 0, 1) * 255).astype(np.uint8)
            (TARGET / f"{name}_sky.jxl").write_bytes(imagecodecs.jpegxl_encode(share, lossless=True, effort=5))
            entry["sky"] = {"file": f"{name}_sky.jxl"}
        entry["middle_grey"] = float(np.exp(np.mean(np.log(luminance + 1e-4 * luminance.max()))))
        if name == "glaze_target" and "glaze_table" in facts:  # metered like the table without the target
            entry["middle_grey"] = facts["glaze_table"]["middle_grey"]
        entry["middle_grey_cd_m2"] = grey_cd_m2
        if "depth" in render:
            depth = from_pinhole(render["depth"], focal, ((width - 1) / 2, (height - 1) / 2)) if whole else render["depth"]
            entry["depth"] = depth_of(name, depth)
        if name in CYLINDER:
            entry.update(focal_px=focal, cylinder=True, centre_px=[(width - 1) / 2, CYLINDER[name]["up"] * focal - 0.5])
        else:
            entry["focal_px"] = focal
        if name == "kiln_hall" and not whole:
            entry["visitors"] = facts[name]["visitors"]  # their windows do not touch what was mended
        elif name == "kiln_hall":
            entry["visitors"] = {}
            for k in range(3):
                window = np.load(folder / f"kiln_step_{k}.npz")["den"].astype(np.float32)
                (x, y), (h, w) = KILN_WINDOW, window.shape[:2]
                mask = changed(linear[y : y + h, x : x + w], window)
                (TARGET / f"kiln_step_{k}_mask.jxl").write_bytes(imagecodecs.jpegxl_encode(mask, lossless=True, effort=5))
                facts_of_step = {"x": x, "y": y, "mask": f"kiln_step_{k}_mask.jxl", **picture(f"kiln_step_{k}", window, 1)}
                entry["visitors"][f"step_{k}"] = facts_of_step
        facts[name] = entry
    path.write_text(json.dumps(facts, indent=1) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
