"""Writes the numbers of ``core/chain/recurrent_mask.py`` from the model that the notice beside them
names: ``write_mask.py MODEL.onnx`` (needs ``onnx``, which nothing else does).

Normalisations of the way back are multiplied into the convolutions before them, and transposed
convolutions over time are turned round.
"""

from __future__ import annotations

import argparse
import pathlib

import numpy as np
import onnx
from onnx import numpy_helper

from obsidian_wren.core.chain import recurrent_mask

_BACK = "decoder.de_convs"
_CONVOLVED = (
    ("point_conv1", "point_bn1"),
    ("depth_conv", "depth_bn"),
    ("point_conv2", "point_bn2"),
)


def written(model: onnx.ModelProto) -> dict[str, np.ndarray]:
    """Every array by its name."""
    known = {each.name: numpy_helper.to_array(each) for each in model.graph.initializer}
    nodes = list(model.graph.node)

    def inputs(kind: str) -> list[list[np.ndarray]]:
        return [
            [known[name] for name in node.input[1:] if name in known]
            for node in nodes
            if node.op_type == kind
        ]

    def normal(name: str) -> tuple[np.ndarray, np.ndarray]:
        scale = known[f"{name}.weight"] / np.sqrt(known[f"{name}.running_var"] + 1e-5)
        return scale, known[f"{name}.bias"] - known[f"{name}.running_mean"] * scale

    def turned(name: str) -> list[np.ndarray]:
        """The three convolutions of a block of the way back, as if they were not transposed."""
        found = []
        for each, of in _CONVOLVED:
            inside = f"{name}.{each}" + (".ConvTranspose2d" if each == "depth_conv" else "")
            weight = known[f"{inside}.weight"]
            if each == "depth_conv":
                weight = weight[:, :, ::-1, ::-1]
            else:
                weight = weight.transpose(1, 0, 2, 3)
            scale, shift = normal(f"{name}.{of}")
            found += [weight * scale[:, None, None, None], known[f"{inside}.bias"] * scale + shift]
        return found

    out: dict[str, np.ndarray] = {}
    convolutions, slopes = inputs("Conv"), [each[0] for each in inputs("PRelu")]
    units, mixes = inputs("GRU"), [each for each in inputs("MatMul") if each]
    out["bands"] = mixes[0][0].T
    edges = [
        (weight[:, :, 0], bias, slope.ravel())
        for (weight, bias), slope in zip(convolutions[:2], slopes[:2], strict=True)
    ]
    for number in (3, 4):
        # By (in, out within a group), as transposed convolutions are.
        weight = known[f"{_BACK}.{number}.conv.weight"][:, :, 0]
        scale, shift = normal(f"{_BACK}.{number}.bn")
        each, groups = weight.shape[1], len(scale) // weight.shape[1]
        by_input = scale.reshape(groups, each).repeat(len(weight) // groups, axis=0)
        bias = known[f"{_BACK}.{number}.conv.bias"] * scale + shift
        slope = slopes[-1].ravel() if number == 3 else np.zeros(1)
        edges.append((weight * by_input[:, :, None], bias, slope))
    parts = [part for edge in edges for part in edge]
    out |= dict(zip(recurrent_mask.EDGE_PARTS, parts, strict=True))
    blocks = []
    for number in range(6):
        if number < 3:
            convolved = [part for each in convolutions[2 + 3 * number :][:3] for part in each]
            unit, mix = units[number], mixes[1 + number][0]
            name = f"encoder.en_convs.{2 + number}"
        else:
            name = f"{_BACK}.{number - 3}"
            convolved = turned(name)
            # The paths have eight units and four mixes of their own in between.
            unit, mix = units[number + 8], mixes[5 + number][0]
        point, point_bias, depth, depth_bias, back, back_bias = convolved
        blocks.append(
            (
                *(point.reshape(16, 8, 3), point_bias, slopes[2 + 2 * number].reshape(())),
                *(depth[:, 0], depth_bias, slopes[3 + 2 * number].reshape(())),
                *(back[:, :, 0, 0], back_bias, unit[0][0].T, unit[1][0].T),
                *(unit[2].reshape(2, 48), mix, known[f"{name}.tra.att_fc.bias"]),
            )
        )
    paths = []
    for number in range(2):
        across, along = (units[at + 4 * number :][:2] for at in (3, 5))
        name = f"dpgrnn{number + 1}"
        # From (unit, gate, out, in) to gates, then inputs, then the outputs of all units.
        given, kept = (
            np.stack([direction for unit in across for direction in unit[which]])
            .reshape(4, 3, 4, -1)
            .transpose(1, 3, 0, 2)
            .reshape(3, -1, 16)
            for which in (0, 1)
        )
        across_bias = (
            np.stack([direction for unit in across for direction in unit[2]])
            .reshape(4, 2, 3, 4)
            .transpose(1, 2, 0, 3)
            .reshape(2, 48)
        )
        paths.append(
            (
                *(given, kept, across_bias, mixes[4 + 2 * number][0]),
                known[f"{name}.intra_fc.bias"],
                *(known[f"{name}.intra_ln.{part}"].T for part in ("weight", "bias")),
                *(np.stack([unit[which][0].T for unit in along]) for which in (0, 1)),
                np.stack([unit[2].reshape(2, 24) for unit in along]),
                *(mixes[5 + 2 * number][0], known[f"{name}.inter_fc.bias"]),
                *(known[f"{name}.inter_ln.{part}"].T for part in ("weight", "bias")),
            )
        )
    for names, found in ((recurrent_mask.BLOCK_PARTS, blocks), (recurrent_mask.PATH_PARTS, paths)):
        stacked = [np.stack(each) for each in zip(*found, strict=True)]
        out |= dict(zip(names, stacked, strict=True))
    return {name: np.ascontiguousarray(each, dtype=np.float32) for name, each in out.items()}


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("model", type=pathlib.Path)
    model = onnx.load(options.parse_args().model)
    np.savez(pathlib.Path(recurrent_mask.__file__).with_suffix(".npz"), **written(model))


if __name__ == "__main__":
    main()
