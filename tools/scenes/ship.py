"""Packs finished renders (``*.npz``, key ``den``) for the demo: log codes, JPEG XL, and ``scenes.json``.

Run from the repository: ``PYTHONPATH=src .venv/bin/python tools/scenes/ship.py FOLDER_WITH_NPZ``.
"""

import json
import sys
from pathlib import Path

import imagecodecs
import numpy as np

from zincplate.demo.scenes import encode_log

TARGET = Path(__file__).parents[2] / "src" / "zincplate" / "demo" / "data"
LIMIT = 4_000_000


def pack(codes: np.ndarray) -> tuple[bytes, float]:
    """Smallest distance whose file stays under the limit."""
    for distance in (0.03, 0.05, 0.08, 0.12, 0.2, 0.3, 0.5):
        data = imagecodecs.jpegxl_encode(codes, distance=distance, effort=5)
        if len(data) <= LIMIT:
            return data, distance
    raise SystemExit("too large at every distance")


def main(folder: Path) -> None:
    """Packs what is there."""
    facts = json.loads((TARGET / "scenes.json").read_text()) if (TARGET / "scenes.json").exists() else {}
    for path in sorted(folder.glob("*.npz")):
        linear = np.maximum(np.load(path)["den"].astype(np.float32), 0)
        if path.stem not in ("works_front", "glaze_table", "glaze_target", "loading_door"):
            continue
        codes, scale = encode_log(linear)
        data, distance = pack(codes)
        (TARGET / f"{path.stem}.jxl").write_bytes(data)
        if path.stem == "glaze_target":  # metered like the table without the target
            linear = np.load(folder / "glaze_table.npz")["den"].astype(np.float32)
        luminance = linear @ np.array([0.2126, 0.7152, 0.0722], np.float32)
        grey = float(np.exp(np.mean(np.log(luminance + 1e-4 * luminance.max()))))
        facts[path.stem] = {**scale, "middle_grey": grey}
        print(path.stem, linear.shape, len(data), "distance", distance)
    (TARGET / "scenes.json").write_text(json.dumps(facts, indent=1) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
