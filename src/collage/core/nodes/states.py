"""What Collage does with every definition of the library: computes it, draws it, or leaves it and says why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from collage.core.base.errors import CollageError
from collage.core.document.types import CHANNELS, TEXTS
from collage.core.nodes.library import Library, NodeDef
from collage.core.nodes.surfaces import DRAWN_SURFACES

FUNCTION, GRAPH, SURFACE, SKIPPED = "function", "graph", "surface", "skipped"

_CLOSURE = "a part of a surface model written out in closures; Collage draws whole surface models"
_REASONS = {
    "material": "names the shaders of a material; read and written, nothing to compute",
    "volumeshader": "volumes are not drawn; read and written unchanged",
    "VDF": "volumes are not drawn; read and written unchanged",
    "lightshader": "lights stand on the bench, not in a material; read and written unchanged",
    "displacementshader": "moves the surface of objects in pictures; on a flat sheet there is nothing to compute",
    "surfaceshader": "drawn as plain grey and said so; read and written unchanged",
    "BSDF": _CLOSURE,
    "EDF": _CLOSURE,
    "multioutput": "takes closures apart; " + _CLOSURE,
}
_OWN_REASONS = {"osl_set_ci": "an internal of another shading language; it means nothing in a document"}
_DEFAULTS = {
    "time": "gives its default: a surface has no time",
    "frame": "gives its default: a surface has no frame",
    "geompropvalueuniform": "gives its default: texts belong to no mesh here",
}


@dataclass(frozen=True)
class State:
    """How a definition is treated; `reason` says why it is skipped, or what it gives instead."""

    definition: NodeDef
    how: str
    reason: str = ""

    @property
    def evaluated(self) -> bool:
        """Whether the definition can be computed."""
        return self.how != SKIPPED


def states(library: Library) -> Iterator[State]:
    """The state of every definition, in the library's order."""
    known: dict[str, bool] = {}
    for definition in library:
        yield _state(library, definition, known)


def _state(library: Library, definition: NodeDef, known: dict[str, bool]) -> State:
    if definition.category in DRAWN_SURFACES and definition.type == "surfaceshader":
        return State(definition, SURFACE, "drawn in the picture")
    numbers = all(one.type in CHANNELS or one.type in TEXTS for one in definition.outputs.values())
    if numbers and computes(library, definition, known):
        how = FUNCTION if definition.function is not None else GRAPH
        return State(definition, how, _DEFAULTS.get(definition.category, ""))
    reason = _OWN_REASONS.get(definition.category) or _REASONS.get(definition.type, _CLOSURE)
    return State(definition, SKIPPED, reason)


def computes(library: Library, definition: NodeDef, known: dict[str, bool]) -> bool:
    """Whether a definition has a function, or a graph in which every card can be computed."""
    if definition.name not in known:
        known[definition.name] = False  # a graph that contains itself cannot be computed
        known[definition.name] = definition.function is not None or _graph_computes(library, definition, known)
    return known[definition.name]


def _graph_computes(library: Library, definition: NodeDef, known: dict[str, bool]) -> bool:
    graph = library.graph(definition)
    if graph is None:
        return False
    try:
        return all(computes(library, library.definition(card), known) for card in graph.cards.values())
    except CollageError:
        return False


def summary(library: Library) -> str:
    """`defined N, evaluated N, skipped M` and how many are skipped for each reason."""
    every = list(states(library))
    skipped = Counter(one.reason for one in every if not one.evaluated)
    lines = [f"defined {len(every)}, evaluated {sum(one.evaluated for one in every)}, skipped {sum(skipped.values())}"]
    lines += [f"  {count:4}  {reason}" for reason, count in skipped.most_common()]
    return "\n".join(lines)
