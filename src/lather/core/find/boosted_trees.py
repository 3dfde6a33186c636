"""Telling kinds apart by measured features: gradient-boosted trees (Friedman 2001) with their nodes kept as data."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

from lather.core.loops import loop

FOLDER = Path(__file__).parents[1] / "data" / "find"
SMALL = FOLDER / "small"
"""What was fitted on small faces, as cameras give them; on large ones pores are seen, and other weights tell."""


@loop("f8[:, ::1], i2[::1], f4[::1], i4[::1], i4[::1], f4[::1], i4[::1], i1[::1], f8[:, ::1]")
def _walk(features, feature, threshold, left, right, value, roots, classes, scores):  # pragma: no cover - compiled
    """Add every tree's leaf to the score of its class; a node without a feature (-1) is a leaf."""
    for n in range(features.shape[0]):
        for t in range(roots.shape[0]):
            node = roots[t]
            while feature[node] >= 0:
                node = left[node] if features[n, feature[node]] <= threshold[node] else right[node]
            scores[n, classes[t]] += value[node]


@dataclass(frozen=True)
class KindModel:
    """kinds: names, "none" first. start: (kinds,) scores before any tree. Nodes of all trees lie in flat arrays;
    roots: (trees,) first node of each tree; classes: the kind each tree speaks for.
    """

    kinds: tuple[str, ...]
    start: np.ndarray
    feature: np.ndarray
    threshold: np.ndarray
    left: np.ndarray
    right: np.ndarray
    value: np.ndarray
    roots: np.ndarray
    classes: np.ndarray

    def shares(self, features: np.ndarray) -> np.ndarray:
        """(n, f) features to (n, kinds) probabilities."""
        features = np.ascontiguousarray(features, np.float64)
        scores = np.tile(self.start.astype(np.float64), (len(features), 1))
        nodes = (self.feature, self.threshold, self.left, self.right, self.value)
        _walk(features, *nodes, self.roots, self.classes, scores)
        shares = np.exp(scores - scores.max(1, keepdims=True))
        return shares / shares.sum(1, keepdims=True)

    def save(self, path: Path, how: str) -> None:
        """Write all nodes to an .npz file. how: in a sentence, how they were fitted."""
        arrays = {name: getattr(self, name) for name in _ARRAYS}
        np.savez_compressed(path, kinds=np.array(self.kinds), how=np.array(how), **arrays)


_ARRAYS = ("start", "feature", "threshold", "left", "right", "value", "roots", "classes")


@cache
def model(name: str, folder: Path = FOLDER) -> KindModel:
    """The shipped trees for "spots", "ground", "areas", "lines", "lips" or "strands", or for "spots_or_none" and the
    like, which tell whether anything is there (made by benchmarks/fit_finds.py). folder: FOLDER or SMALL."""
    with np.load(folder / f"{name}.npz", allow_pickle=False) as data:
        return KindModel(tuple(str(k) for k in data["kinds"]), *(data[n] for n in _ARRAYS))
