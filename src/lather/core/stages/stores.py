"""What the layer kinds of one open photo keep together, each store with one limit."""

from dataclasses import dataclass, field

from lather.core.memory import Budget
from lather.core.stages.light.needed import NeededLight, new_cells
from lather.core.stages.maps.store import CoverageStore
from lather.core.stages.patches.patch import PatchStore
from lather.core.stages.shape.layers import Moves


@dataclass
class Stores:
    """patches: solved edits. coverage: painted maps. needed: light that skin needs, in coarse cells.
    moves: displacements.
    """

    patches: PatchStore = field(default_factory=PatchStore)
    coverage: CoverageStore = field(default_factory=CoverageStore)
    needed: NeededLight = field(default_factory=lambda: NeededLight(new_cells()))
    moves: Moves = field(default_factory=lambda: Moves(Budget.usual().share("moves")))
