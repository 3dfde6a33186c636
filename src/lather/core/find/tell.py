"""Telling kinds apart by measured features: multinomial logistic regression with weights kept as data."""

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

FOLDER = Path(__file__).parents[1] / "data" / "find"


@dataclass(frozen=True)
class KindModel:
    """kinds: names, "none" first. middle, spread: (f,) of the features. weights: (terms, kinds)."""

    kinds: tuple[str, ...]
    middle: np.ndarray
    spread: np.ndarray
    weights: np.ndarray

    def shares(self, features: np.ndarray) -> np.ndarray:
        """(n, f) features to (n, kinds) probabilities."""
        scores = expand(features, self.middle, self.spread) @ self.weights
        shares = np.exp(scores - scores.max(1, keepdims=True))
        return shares / shares.sum(1, keepdims=True)

    def to_json(self, how: str) -> str:
        return json.dumps(
            {
                "how": how,
                "kinds": self.kinds,
                "middle": np.round(self.middle, 5).tolist(),
                "spread": np.round(self.spread, 5).tolist(),
                "weights": np.round(self.weights, 4).tolist(),
            }
        )


def expand(features: np.ndarray, middle: np.ndarray, spread: np.ndarray) -> np.ndarray:
    """(n, f) features, scaled and clipped, with 1 and all their products."""
    z = np.clip((features - middle) / spread, -4, 4)
    i, j = np.triu_indices(z.shape[1])
    return np.concatenate([np.ones((len(z), 1)), z, 0.5 * z[:, i] * z[:, j]], 1)


@cache
def model(name: str) -> KindModel:
    """The shipped weights for "spots", "lines" or "ground" (made by benchmarks/fit_finds.py on plates)."""
    data = json.loads((FOLDER / f"{name}.json").read_text())
    return KindModel(tuple(data["kinds"]), *(np.array(data[k]) for k in ("middle", "spread", "weights")))
