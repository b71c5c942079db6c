"""A fitted pipeline in the Open Neural Network Exchange format, checked row by row against the pipeline itself.

Needs the optional packages skl2onnx, onnx and onnxruntime. Input `rows`: float32, shape (n, columns), in the order of
`Ground.columns`, categories as their codes and NaN where a value is missing.
"""

from __future__ import annotations

import copy
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict

OF_PROBABILITIES = 1e-4
OF_SPREAD = 1e-5  # of a regression's predictions; single precision misses it where they are large beside their spread
Array = NDArray[Any]


@dataclass(frozen=True)
class OnnxForm:
    """`difference` is the largest between the two models' predictions over all rows checked: of probabilities, or in units of the
    predictions' standard deviation."""

    model: bytes
    difference: float


def onnx_form(pipeline: Any, rows: Array, *, classes: bool) -> OnnxForm:
    """The model in ONNX; Conflict when a step has no such form, or when its predictions do not agree: to 1e-4 of a probability, or
    to 1e-5 of a regression's spread."""
    try:
        import onnxruntime
        import skl2onnx  # noqa: F401
    except ImportError as missing:
        raise Conflict(f"ONNX needs packages that are not installed ({missing.name}): pip install 'pellux[onnx]'.") from None
    try:
        model = _converted(pipeline, rows.shape[1], classes=classes)
    except NotImplementedError as error:
        raise Conflict(_refusal(str(error))) from None
    except Exception as error:
        raise Conflict(f"A step of this pipeline has no ONNX form: {type(error).__name__}: {error}") from None
    found = model.SerializeToString()
    session = onnxruntime.InferenceSession(found, providers=["CPUExecutionProvider"])
    got = np.asarray(session.run(None, {"rows": rows.astype(np.float32)})[-1], dtype=float)
    wanted = pipeline.predict_proba(rows) if classes else pipeline.predict(rows)
    scale = 1.0 if classes else float(np.std(wanted)) or 1.0
    difference = float(np.abs(got.reshape(wanted.shape) - wanted).max()) / scale
    if not difference <= (OF_PROBABILITIES if classes else OF_SPREAD):
        unit = "" if classes else " of their spread"
        raise Conflict(
            f"The ONNX model's predictions differ from the pipeline's by up to {difference:.2g}{unit}; it is not handed out."
        )
    return OnnxForm(found, difference)


def _refusal(words: str) -> str:
    if "nfrequent" in words:
        return "No ONNX form: a category column has so many values that rare ones are pooled, which ONNX converters cannot express."
    return f"A step of this pipeline has no ONNX form: {words[:200]}"


def _converted(pipeline: Any, width: int, *, classes: bool) -> Any:
    learner = pipeline.named_steps["learn"]
    if getattr(learner, "is_categorical_", None) is not None and np.any(learner.is_categorical_):
        return _with_category_lookups(learner, width, classes=classes)
    return _plain(pipeline, learner, width, classes=classes)


def _plain(model: Any, learner: Any, width: int, *, classes: bool) -> Any:
    from skl2onnx import to_onnx
    from skl2onnx.common.data_types import FloatTensorType

    options = {id(learner): {"zipmap": False}} if classes else None
    return to_onnx(model, initial_types=[("rows", FloatTensorType([None, width]))], options=options)


def _with_category_lookups(learner: Any, width: int, *, classes: bool) -> Any:
    """Histogram boosting with category columns: every split on a set of categories becomes a looked-up column of 0 and 1.

    Converters know only splits on numbers. So a copy of the trees asks `looked-up column <= 0.5` instead, and a prelude
    makes those columns out of the category codes.
    """
    import onnx
    from onnx import compose

    plain, tables = _numeric_copy(learner, width)
    prelude = _prelude(tables, width)
    body = _plain(plain, plain, width + sum(table.shape[1] for table in tables.values()), classes=classes)
    body = compose.add_prefix(body, "trees_", rename_outputs=False)
    prelude = onnx.helper.make_model(prelude, opset_imports=body.opset_import, ir_version=body.ir_version)
    return compose.merge_models(prelude, body, io_map=[("wide", "trees_rows")])


def _numeric_copy(learner: Any, width: int) -> tuple[Any, dict[int, Array]]:
    """The same trees with splits on numbers only, and for each category column the table of its looked-up columns."""
    encoder = learner._preprocessor.named_transformers_["encoder"]
    categories, numbers = np.flatnonzero(_of_raw(learner, width)), np.flatnonzero(~_of_raw(learner, width))
    raw = np.r_[categories, numbers]  # the trees count category columns first
    plain = copy.deepcopy(learner)
    splits: dict[int, list[Array]] = {int(c): [] for c in categories}
    asked: list[tuple[Any, int, int, int]] = []  # what looks up: a tree's nodes, the node, its column, which split of it
    for predictor in (p for stage in plain._predictors for p in stage):
        nodes = predictor.nodes
        for place in np.flatnonzero(nodes["is_leaf"] == 0):
            column = int(raw[nodes["feature_idx"][place]])
            if not nodes["is_categorical"][place]:
                nodes["feature_idx"][place] = column
                continue
            known = encoder.categories_[categories.tolist().index(column)]
            members = predictor.raw_left_cat_bitsets[nodes["bitset_idx"][place]]
            left_if_missing = bool(nodes["missing_go_to_left"][place])
            splits[column].append(_goes_right(known, members, left_if_missing))
            asked.append((nodes, int(place), column, len(splits[column]) - 1))
    begin: dict[int, int] = {}
    at = width
    for column, made in splits.items():
        begin[column] = at
        at += len(made)
    for tree, node, column, split in asked:
        tree["feature_idx"][node] = begin[column] + split
        tree["num_threshold"][node], tree["is_categorical"][node] = 0.5, 0
    size = max((len(row) for made in splits.values() for row in made), default=1)
    tables = {
        column: np.stack([np.pad(row, (0, size - len(row)), mode="edge") for row in made], axis=1)
        for column, made in splits.items()
        if made
    }
    plain.is_categorical_ = None
    plain._preprocessor = None
    plain.n_features_in_ = plain._n_features = at
    return plain, tables


def _of_raw(learner: Any, width: int) -> Array:
    found = np.zeros(width, dtype=bool)
    found[np.asarray(learner.categorical_features, dtype=int)] = True
    return found


def _goes_right(known: Array, members: Array, left_if_missing: bool) -> Array:
    """1 for the codes that a split sends right, by code; the last entry is for missing and unknown codes."""
    codes = [int(code) for code in known if np.isfinite(code)]
    table = np.full(max(codes, default=0) + 2, 0.0 if left_if_missing else 1.0, dtype=np.float32)
    for encoded, code in enumerate(known):
        if np.isfinite(code):
            table[int(code)] = 0.0 if members[encoded // 32] >> np.uint32(encoded % 32) & 1 else 1.0
    return table


def _prelude(tables: dict[int, Array], width: int) -> Any:
    """The graph from `rows` to `wide`: the rows with the looked-up columns beside them."""
    from onnx import TensorProto, helper, numpy_helper

    def constant(name: str, values: Any, kind: Any) -> Any:
        return numpy_helper.from_array(np.asarray(values, dtype=kind), name)

    nodes, constants, parts = [], [constant("zero", 0, np.float32)], ["rows"]
    for column, table in tables.items():
        last = len(table) - 1
        n = f"c{column}"
        constants += [
            constant(f"{n}_at", column, np.int64), constant(f"{n}_table", table, np.float32), constant(f"{n}_last", last, np.float32)
        ]  # fmt: skip
        nodes += [
            helper.make_node("Gather", ["rows", f"{n}_at"], [f"{n}_code"], axis=1),
            helper.make_node("IsNaN", [f"{n}_code"], [f"{n}_missing"]),
            helper.make_node("Less", [f"{n}_code", "zero"], [f"{n}_negative"]),
            helper.make_node("Greater", [f"{n}_code", f"{n}_last"], [f"{n}_beyond"]),
            helper.make_node("Or", [f"{n}_missing", f"{n}_negative"], [f"{n}_odd"]),
            helper.make_node("Or", [f"{n}_odd", f"{n}_beyond"], [f"{n}_unknown"]),
            helper.make_node("Where", [f"{n}_unknown", f"{n}_last", f"{n}_code"], [f"{n}_known"]),
            helper.make_node("Cast", [f"{n}_known"], [f"{n}_index"], to=TensorProto.INT64),
            helper.make_node("Gather", [f"{n}_table", f"{n}_index"], [f"{n}_columns"], axis=0),
        ]
        parts.append(f"{n}_columns")
    nodes.append(helper.make_node("Concat", parts, ["wide"], axis=1))
    total = width + sum(table.shape[1] for table in tables.values())
    return helper.make_graph(
        nodes, "lookups",
        [helper.make_tensor_value_info("rows", TensorProto.FLOAT, [None, width])],
        [helper.make_tensor_value_info("wide", TensorProto.FLOAT, [None, total])],
        constants,
    )  # fmt: skip
