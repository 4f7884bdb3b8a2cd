"""The library of definitions: what every card has for inputs and outputs, and what computes it.

Definitions come from the standard's own files, which the MaterialX package brings along; functions are
found by walking this folder. The library is built once and handed to whoever needs it.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

import MaterialX as mx

import collage.core.nodes as nodes_package
from collage.core.base.errors import CollageError
from collage.core.document.materialx import add_own_definitions, attributes_of, read_network
from collage.core.document.model import Card, Element, Input, Network, Value
from collage.core.document.types import parse, zero
from collage.core.nodes.behaviour import Mark


@dataclass(frozen=True)
class TabDef:
    """An input or output of a definition."""

    name: str
    type: str
    default: Value | None = None
    geometry: str = ""  # what an unwired input takes from the surface: UV0, Nworld, Pobject ...
    attributes: Mapping[str, str] = field(default_factory=dict)

    @property
    def uniform(self) -> bool:
        """Whether it takes one value for all points, and no wire that varies."""
        return self.attributes.get("uniform") == "true"

    @property
    def folder(self) -> str:
        """The group of inputs that it is shown in."""
        return self.attributes.get("uifolder", "")

    @property
    def help(self) -> str:
        """What it does, in the standard's words."""
        return self.attributes.get("doc", "")

    @property
    def choices(self) -> tuple[str, ...]:
        """The words to choose from; empty for any value."""
        text = self.attributes.get("enum", "")
        return tuple(part.strip() for part in text.split(",")) if text else ()

    @property
    def choice_values(self) -> tuple[str, ...]:
        """The values that the choices stand for, where they differ from the words."""
        text = self.attributes.get("enumvalues", "")
        return tuple(part.strip() for part in text.split(",")) if text else ()

    def limit(self, name: str) -> float | None:
        """A number from uimin, uimax, uisoftmin, uisoftmax or uistep (the first of a colour's)."""
        text = self.attributes.get(name, "")
        try:
            return float(text.split(",")[0]) if text else None
        except ValueError:
            return None


@dataclass(frozen=True)
class NodeDef:
    """The definition of a kind of card."""

    name: str
    category: str
    inputs: Mapping[str, TabDef]
    outputs: Mapping[str, TabDef]
    group: str = ""
    help: str = ""
    function: Callable[..., Any] | None = None

    @cached_property
    def type(self) -> str:
        """Type of the only output, or `multioutput`."""
        if len(self.outputs) == 1:
            return next(iter(self.outputs.values())).type
        return "multioutput"

    @property
    def mark(self) -> Mark | None:
        """What its behaviour says of itself; None where it is a graph."""
        return getattr(self.function, "__collage__", None)

    @cached_property
    def main_input(self) -> str | None:
        """The input that comes out when a card of this kind is skipped."""
        out = self.type
        fitting = [tab.name for tab in self.inputs.values() if tab.type == out and not tab.uniform]
        for name in ("in", "bg", "in1", "texcoord", "normal"):
            if name in fitting:
                return name
        return None

    def new_card(self, name: str) -> Card:
        """A card of this kind with nothing set."""
        return Card(name, self.category, self.type, {}, {"nodedef": self.name})


class Library:
    """Finds definitions by name, category, or the card that needs one."""

    def __init__(self, definitions: Iterable[NodeDef], graphs: Mapping[str, Any]) -> None:
        self._by_name = {one.name: one for one in definitions}
        self._by_category: dict[str, list[NodeDef]] = {}
        for one in self._by_name.values():
            self._by_category.setdefault(one.category, []).append(one)
        self._sources = dict(graphs)
        self._graphs: dict[str, Network] = {}
        self._found: dict[object, NodeDef] = {}  # definitions of cards, by what they are told from

    def __iter__(self) -> Any:
        return iter(self._by_name.values())

    def __len__(self) -> int:
        return len(self._by_name)

    def __getitem__(self, name: str) -> NodeDef:
        return self._by_name[name]

    def get(self, name: str) -> NodeDef | None:
        """The definition of a name; None where there is none."""
        return self._by_name.get(name)

    def of_category(self, category: str) -> list[NodeDef]:
        """All definitions of a category, in the order of the standard's files."""
        return self._by_category.get(category, [])

    def find(self, category: str, type_name: str) -> NodeDef | None:
        """The plainest definition of a category that puts out `type_name`."""
        fitting = [one for one in self.of_category(category) if one.type == type_name]
        return fitting[0] if fitting else None

    def graph(self, definition: NodeDef) -> Network | None:
        """The standard's own graph of simpler cards for this definition, if it has one."""
        if definition.name not in self._graphs and self._sources.get(definition.name) is not None:
            self._graphs[definition.name] = read_network(self._sources[definition.name])
        return self._graphs.get(definition.name)

    def extended(self, document: Network) -> Library:
        """This library with the definitions that a document brings along, if it has any with a graph."""
        found = [one for one in document.kept if one.category == "nodedef"]
        if not found:
            return self
        graphs = {
            card.attributes["nodedef"]: card.network
            for card in document.cards.values()
            if card.network is not None and "nodedef" in card.attributes
        }
        for one in document.kept:
            named = document.cards.get(one.attributes.get("nodegraph", ""))
            if one.category == "implementation" and named is not None and named.network is not None:
                graphs.setdefault(one.attributes.get("nodedef", ""), named.network)
        own = [_brought(one) for one in found if one.name in graphs]
        wider = Library([*self._by_name.values(), *own], self._sources)
        wider._graphs = {**self._graphs, **{one.name: graphs[one.name] for one in own}}
        wider._sources |= {one.name: None for one in own}
        return wider

    def evaluates(self, definition: NodeDef) -> bool:
        """Whether Collage can compute this definition."""
        return definition.function is not None or definition.name in self._sources

    def definition(self, card: Card) -> NodeDef:
        """What this card is: by its `nodedef`, or by its category, output type and input types.

        Raises CollageError for a card of no known kind.
        """
        named = self._by_name.get(card.attributes.get("nodedef", ""))
        if named is not None:
            return named
        look = (card.category, card.type, *((one.name, one.type) for one in card.inputs.values()))
        if look not in self._found:
            self._found[look] = self._best(card)
        return self._found[look]

    def _best(self, card: Card) -> NodeDef:
        candidates = self.of_category(card.category)
        if not candidates:
            raise CollageError(
                f"Collage has no “{card.category}” card.",
                about=card.name,
                remedy="Remove it, or replace it with another card.",
            )
        fitting = [one for one in candidates if card.type in (one.type, "")] or candidates
        return max(fitting, key=lambda one: self._fit(one, card))

    @staticmethod
    def _fit(definition: NodeDef, card: Card) -> int:
        """How many of the card's inputs the definition has in the same type."""
        score = 0
        for one in card.inputs.values():
            tab = definition.inputs.get(one.name)
            score += 2 if tab is not None and tab.type == one.type else -3
        return score


@lru_cache(maxsize=1)
def load_library() -> Library:
    """The standard's definitions with every function of this folder; read once, nothing of it ever changes."""
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    add_own_definitions(document)
    functions = _functions()
    graphs = {}
    for graph in document.getNodeGraphs():
        definition = graph.getNodeDef()
        if definition is not None:
            graphs[definition.getName()] = graph
    for implementation in document.getImplementations():  # some graphs are named by an implementation
        name = implementation.getAttribute("nodegraph")
        graph = document.getNodeGraph(name) if name else None
        if graph is not None:
            graphs.setdefault(implementation.getNodeDefString(), graph)
    definitions = [_definition(source, functions) for source in document.getNodeDefs()]
    return Library(definitions, graphs)


def _functions() -> dict[str, Callable[..., Any]]:
    found: dict[str, Callable[..., Any]] = {}
    for module_info in pkgutil.iter_modules(nodes_package.__path__):
        module = importlib.import_module(f"{nodes_package.__name__}.{module_info.name}")
        for function in vars(module).values():
            mark = getattr(function, "__collage__", None)
            if not isinstance(mark, Mark) or function.__module__ != module.__name__:
                continue
            for category in mark.categories:
                if category in found and found[category] is not function:
                    raise RuntimeError(
                        f"“{category}” is computed twice: in {found[category].__module__} and {module.__name__}"
                    )
                found[category] = function
    return found


def _definition(source: Any, functions: Mapping[str, Callable[..., Any]]) -> NodeDef:
    name, category = source.getName(), source.getNodeString()
    return NodeDef(
        name,
        category,
        {one.getName(): _tab(one) for one in source.getActiveInputs()},
        {one.getName(): _tab(one) for one in source.getActiveOutputs()},
        source.getAttribute("nodegroup"),
        source.getAttribute("doc"),
        functions.get(name, functions.get(category)),
    )


def _tab(source: Any) -> TabDef:
    return _tab_of(source.getName(), attributes_of(source))


def _brought(element: Element) -> NodeDef:
    """A definition that a document brings along."""
    parts = {kind: [one for one in element.children if one.category == kind] for kind in ("input", "output")}
    return NodeDef(
        element.name,
        element.attributes.get("node", ""),
        {one.name: _tab_of(one.name, one.attributes) for one in parts["input"]},
        {one.name: _tab_of(one.name, one.attributes) for one in parts["output"]},
        element.attributes.get("nodegroup", ""),
        element.attributes.get("doc", ""),
    )


def _tab_of(name: str, given: Mapping[str, str]) -> TabDef:
    type_name = given.get("type", "")
    text = given.get("value", given.get("default"))
    try:
        default = parse(type_name, text) if text is not None else None
    except ValueError:
        default = None
    if default is None:
        default = zero(type_name)
    attributes = {key: one for key, one in given.items() if key not in ("type", "value", "defaultgeomprop")}
    return TabDef(name, type_name, default, given.get("defaultgeomprop", ""), attributes)


def tabs_of(library: Library, card: Card) -> dict[str, TabDef]:
    """The inputs of a card: its definition's, or those that a group shows. Raises CollageError for an unknown kind."""
    if card.network is None:
        return dict(library.definition(card).inputs)
    return {
        one.name: TabDef(one.name, one.type, one.value if one.value is not None else zero(one.type), "", one.attributes)
        for one in card.inputs.values()
    }


def main_inputs(library: Library, network: Network, names: Iterable[str]) -> dict[str, str | None]:
    """For each card the input that passes through it; None for groups, unknown kinds and cards that are not there."""
    found: dict[str, str | None] = {}
    for name in names:
        card = network.cards.get(name)
        try:
            found[name] = library.definition(card).main_input if card is not None and card.network is None else None
        except CollageError:
            found[name] = None
    return found


def shown_value(card: Card, tab: TabDef) -> Value | None:
    """The value an input has without its wire: its own, or the definition's default."""
    one: Input | None = card.inputs.get(tab.name)
    return one.value if one is not None and one.value is not None else tab.default
