"""From a network to a plan: groups and standard graphs inlined, constants folded, equal steps merged.

A step is named by the hash of what it computes, values and inputs included; two cards that compute the
same thing become one step, and a result can be found again by its name after an undo.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Input, Network, Output, Value, Wire, order
from collage.core.document.types import CHANNELS, TEXTS, zero
from collage.core.evaluate.literals import LOUD, Loud, as_array, loud_value, read_literal, typed, unread
from collage.core.evaluate.maps import Maps
from collage.core.evaluate.reuse import Made, Planned, reachable
from collage.core.evaluate.steps import Const, Ref, Shift, Source, Step
from collage.core.images.colour import inverse_curve, is_linear, to_linear
from collage.core.images.store import ImageRef, ImageStore
from collage.core.images.tiles import is_pattern
from collage.core.nodes.behaviour import Context
from collage.core.nodes.geometric import geometry
from collage.core.nodes.library import Library, NodeDef, TabDef
from collage.core.nodes.units import in_unit_of

MOST_CARDS, MOST_LEVELS = 50_000, 60  # that definitions may stand for in one plan, and how deep in each other


def sends_rays(plan: Plan) -> bool:
    """Whether something of a plan looks around with rays; see nodes.proximity."""
    if "rays" not in plan.memo:
        marks = (getattr(step.function, "__collage__", None) for step in plan.steps)
        plan.memo["rays"] = any(mark is not None and mark.rays for mark in marks)
    return bool(plan.memo["rays"])


@dataclass(frozen=True)
class CardOutput:
    """What a card puts out, as something to plan for."""

    card: str
    output: str = ""
    path: tuple[str, ...] = ()


@dataclass(frozen=True)
class CardInput:
    """What an input of a card takes in, as something to plan for."""

    card: str
    input: str
    path: tuple[str, ...] = ()


Place = tuple[tuple[str, ...], str]
"""A card, by the path of its network and its name."""


@dataclass(frozen=True, eq=False)
class Plan:
    """Steps, inputs first; what each target is; and what was wrong on the way."""

    steps: tuple[Step, ...]
    outputs: Mapping[str, Source]
    problems: Mapping[Place, CollageError] = field(default_factory=dict)
    images: ImageStore = field(default_factory=ImageStore)
    waiting: Mapping[Place, ImageRef] = field(default_factory=dict)  # cards whose images are on their way
    memo: dict[Any, Any] = field(default_factory=dict)  # what was worked out about the steps, for another run
    planned: Planned | None = None  # how it came about; None where something was wrong or is on its way

    @cached_property
    def wanted(self) -> frozenset[str]:
        """Names of the results that the outputs are."""
        return frozenset(one.name for one in self.outputs.values() if isinstance(one, Ref))


def build_plan(
    library: Library,
    document: Network,
    targets: Mapping[str, CardOutput | CardInput],
    *,
    folder: Path | None = None,
    images: ImageStore | None = None,
    filtered: bool = True,
    strict: bool = False,
    loud: Loud = LOUD,
    until: float | None = None,
    before: Plan | None = None,
) -> Plan:
    """The plan for some targets of a document.

    folder : where relative file names start.
    filtered : images are read at the detail of the picture.
    strict : raise the first problem; otherwise what is broken puts out the loud colour and the rest goes on.
        Missing images give the standard's default when strict, the loud colour otherwise.
    loud : that colour, linear.
    until : the time (monotonic) up to which images are waited for; a grey stands in for those that are not there by
        then, and they are read meanwhile. Left out, all are waited for.
    before : one of the document as it was, for the same targets and the same files. What holds of it is taken over.
    """
    images = images or ImageStore()
    builder = _Builder(library.extended(document), folder or Path(), images, filtered, strict, loud, until)
    how = library, builder.folder, images, filtered, strict, loud
    earlier = before.planned if before is not None else None
    if earlier is not None and builder.library is library:  # the document has no definitions of its own
        builder.take_over(earlier, document, how)
    outputs = builder.outputs(document, targets)
    if builder.problems or builder.waiting:
        return Plan(tuple(builder.steps.values()), outputs, builder.problems, images, builder.waiting)
    if before is not None and earlier is not None and earlier.is_for(outputs, how):
        return before
    every = (source for one in builder.made.values() for source in one.values())
    planned = Planned(how, document, builder.made, reachable(builder.steps, (*every, *outputs.values())), outputs)
    return Plan(tuple(reachable(builder.steps, outputs.values()).values()), outputs, images=images, planned=planned)


@dataclass(eq=False)
class _Scope:
    """A network being inlined: where it lies, and how its own inputs are found in the one around it."""

    network: Network
    path: tuple[str, ...] = ()
    outer: _Scope | None = None
    card: Card | None = None  # the card in `outer` whose inside this is
    tabs: Mapping[str, TabDef] | None = None  # its definition's inputs, if a definition's graph
    prefix: str = ""
    space: str = ""
    shown: bool = True  # whether the cards in here are a person's own
    done: dict[tuple[str, Shift], dict[str, Source]] = field(default_factory=dict)


class _Builder:
    def __init__(
        self, library: Library, folder: Path, images: ImageStore, filtered: bool, strict: bool, loud: Loud,
        until: float | None,
    ) -> None:  # fmt: skip
        self.library, self.folder, self.images, self.loud = library, folder, images, loud
        self.filtered, self.strict = filtered, strict
        self.maps = Maps(images, strict, until)
        self.steps: dict[str, Step] = {}
        self.problems: dict[Place, CollageError] = {}
        self.waiting: dict[Place, ImageRef] = {}
        self.made: Made = {}  # of the document's own cards
        self._cards = 0  # inside definitions so far

    def take_over(self, before: Planned, document: Network, how: tuple[object, ...]) -> None:
        """Begins with what holds of an earlier plan."""
        self.made = before.holds_for(document, how)
        if self.made:
            self.steps = dict(before.steps)

    # ---- targets ------------------------------------------------------------------------------

    def outputs(self, document: Network, targets: Mapping[str, CardOutput | CardInput]) -> dict[str, Source]:
        root = _Scope(
            document,
            prefix=document.attributes.get("fileprefix", ""),
            space=document.attributes.get("colorspace", ""),
            done=self.made,
        )
        scopes: dict[tuple[str, ...], _Scope] = {(): root}
        found: dict[str, Source] = {}
        for name, target in targets.items():
            scope = self._scope_at(scopes, target.path)
            card = scope.network.cards.get(target.card)
            if card is None:
                raise CollageError(f"There is no card named “{target.card}”.", about=target.card)
            if isinstance(target, CardInput):
                tab = self._definition(scope, card).inputs.get(target.input)
                if tab is None:
                    raise CollageError(f"“{card.name}” has no input “{target.input}”.", about=card.name)
                result = self._guarded(scope, card, tab)
            else:
                result = self._output_of(scope, Wire(target.card, target.output), ())
            if result is not None:
                found[name] = result
        return found

    def _scope_at(self, scopes: dict[tuple[str, ...], _Scope], path: tuple[str, ...]) -> _Scope:
        if path not in scopes:
            outer = self._scope_at(scopes, path[:-1])
            scopes[path] = self._group_scope(outer, outer.network.cards[path[-1]])
        return scopes[path]

    def _guarded(self, scope: _Scope, card: Card, tab: TabDef) -> Source | None:
        try:
            return self._resolve(scope, card, tab, ())
        except CollageError as error:
            self._note(scope, card, error)
            return None

    def _loud_of(self, type_name: str) -> np.ndarray:
        return loud_value(type_name, self.loud)

    def _note(self, scope: _Scope, card: Card, error: CollageError) -> None:
        if self.strict:
            raise error
        self.problems.setdefault(self._shown_at(scope, card), error)

    def _shown_at(self, scope: _Scope, card: Card) -> Place:
        """The person's own card that a card is, or lies in."""
        name = card.name
        while not scope.shown and scope.outer is not None and scope.card is not None:
            name, scope = scope.card.name, scope.outer
        return scope.path, name

    # ---- cards --------------------------------------------------------------------------------

    def _output_of(self, scope: _Scope, wire: Wire, shift: Shift) -> Source | None:
        """What a wire carries; None where the card is skipped and nothing passes through it."""
        self._work_through(scope, wire.card, shift)
        card = scope.network.cards[wire.card]
        if card.skipped:
            return self._passed(scope, card, shift)
        outputs = scope.done[(wire.card, shift)]
        if wire.output in outputs:
            return outputs[wire.output]
        if not outputs or (wire.output and len(outputs) > 1):
            raise CollageError(
                f"“{card.name}” has no output “{wire.output or 'out'}”.",
                about=card.name,
                remedy="Wire another output.",
            )
        return next(iter(outputs.values()))

    def _work_through(self, scope: _Scope, name: str, shift: Shift) -> None:
        """Makes the steps of a card and of all it needs, in order, so that long chains need no recursion."""
        if (name, shift) in scope.done:
            return
        sequence, stuck = order(scope.network, [name])
        for one in stuck:
            card = scope.network.cards[one]
            error = CollageError(
                f"“{one}” takes from itself in a circle.",
                about=one,
                remedy="Cut one of the wires of the circle.",
            )
            self._note(scope, card, error)
            scope.done[(one, shift)] = self._loud(scope, card)
        for one in sequence:
            if (one, shift) in scope.done:
                continue
            card = scope.network.cards[one]
            try:
                scope.done[(one, shift)] = {} if card.skipped else self._card(scope, card, shift)
            except CollageError as error:
                self._note(scope, card, error)
                scope.done[(one, shift)] = self._loud(scope, card)

    def _loud(self, scope: _Scope, card: Card) -> dict[str, Source]:
        if card.network is not None:
            return {out.name: Const(self._loud_of(out.type), out.type) for out in card.network.outputs.values()} or {
                "out": Const(self._loud_of("color3"), "color3")
            }
        if card.type != "multioutput":
            return {"out": Const(self._loud_of(card.type), card.type)}
        try:
            outputs = self._definition(scope, card).outputs.values()
        except CollageError:
            return {"out": Const(self._loud_of("color3"), "color3")}
        return {out.name: Const(self._loud_of(out.type), out.type) for out in outputs}

    def _passed(self, scope: _Scope, card: Card, shift: Shift) -> Source | None:
        if card.network is not None:
            return None
        definition = self._definition(scope, card)
        if definition.main_input is None:
            return None
        return self._resolve(scope, card, definition.inputs[definition.main_input], shift)

    def _definition(self, scope: _Scope, card: Card) -> NodeDef:
        return self.library.definition(card)

    def _card(self, scope: _Scope, card: Card, shift: Shift) -> dict[str, Source]:
        if card.network is not None:
            return self._inlined(self._group_scope(scope, card), card.network.outputs, shift)
        definition = self._definition(scope, card)
        if definition.function is not None:
            return self._step(scope, card, definition, shift)
        graph = self.library.graph(definition)
        if graph is None:
            raise CollageError(
                f"Collage cannot compute “{card.category}” yet.",
                about=card.name,
                remedy="Skip the card, or use another one.",
            )
        self._check_size(scope, card, graph)
        inner = _Scope(
            graph, (*scope.path, card.name), scope, card, definition.inputs, scope.prefix, scope.space, False
        )
        return self._inlined(inner, graph.outputs, shift)

    def _check_size(self, scope: _Scope, card: Card, graph: Network) -> None:
        """Definitions may use each other, and so stand for many more cards than a document has."""
        self._cards += len(graph.cards)
        if self._cards > MOST_CARDS or len(scope.path) > MOST_LEVELS:
            raise CollageError(
                f"“{card.category}” stands for too many cards, more than {MOST_CARDS:,} or {MOST_LEVELS} levels deep.",
                about=card.name,
                remedy="Use a simpler definition.",
            )
        around: _Scope | None = scope
        while around is not None:
            if around.network is graph:
                text = f"The definition of “{card.category}” uses itself."
                raise CollageError(text, about=card.name, remedy="Use another card.")
            around = around.outer

    def _group_scope(self, outer: _Scope, card: Card) -> _Scope:
        assert card.network is not None
        prefix = outer.prefix + card.attributes.get("fileprefix", "")
        space = card.attributes.get("colorspace") or outer.space
        return _Scope(card.network, (*outer.path, card.name), outer, card, None, prefix, space, outer.shown)

    def _inlined(self, scope: _Scope, outputs: Mapping[str, Output], shift: Shift) -> dict[str, Source]:
        found: dict[str, Source] = {}
        for out in outputs.values():
            source: Source | None = None
            if out.wire is not None:
                if out.wire.card not in scope.network.cards:
                    raise CollageError(
                        f"The output “{out.name}” takes from “{out.wire.card}”, which is not there.",
                        about=scope.path[-1] if scope.path else out.name,
                        remedy="Wire it again.",
                    )
                source = self._output_of(scope, out.wire, shift)
            elif out.interface is not None:
                source = self._interface(scope, out.interface, out.type, shift)
            found[out.name] = source if source is not None else _neutral(out.type)
        return found

    # ---- inputs -------------------------------------------------------------------------------

    def _resolve(self, scope: _Scope, card: Card, tab: TabDef, shift: Shift) -> Source:
        """What an input takes in: a wire, the group's input, its value, the surface, or the default."""
        one = card.inputs.get(tab.name)
        source: Source | None = None
        if one is not None and not one.muted:
            if one.wire is not None:
                source = self._wired(scope, card, one.wire, tab, shift)
            elif one.interface is not None:
                source = self._interface(scope, one.interface, tab.type, shift)
            elif not tab.geometry:
                source = self._own_value(scope, card, tab, one)
        if source is not None:
            return source
        if tab.geometry:
            return self._geometry(tab, shift)
        return self._literal(scope, card, tab, tab.default, "none")

    def _own_value(self, scope: _Scope, card: Card, tab: TabDef, one: Input) -> Source | None:
        """The value of an input; None where it has none, or one that does not fit, which is noted."""
        value = one.value
        try:
            if one.unread is not None:
                raise unread(one.unread, tab.type)
            if not one.type and isinstance(value, str):  # a file may leave the type out
                value = read_literal(tab.type, value)
            if value is None:
                return None
            value = in_unit_of(tab, value, one.attributes.get("unit", ""))
            return self._literal(scope, card, tab, value, one.attributes.get("colorspace", ""))
        except CollageError as error:
            if not self.strict:
                about = f"{card.name}.{tab.name}"
                self._note(scope, card, CollageError(error.message, about=about, remedy=error.remedy))
            return None

    def _wired(self, scope: _Scope, card: Card, wire: Wire, tab: TabDef, shift: Shift) -> Source | None:
        if wire.card not in scope.network.cards:
            raise CollageError(
                f"“{card.name}” takes from “{wire.card}”, which is not there.",
                about=card.name,
                remedy="Wire it again.",
            )
        source = self._output_of(scope, wire, shift)
        if source is not None and CHANNELS.get(source.type) != CHANNELS.get(tab.type):
            raise CollageError(
                f"“{wire.card}” puts out {source.type}, but “{tab.name}” takes {tab.type}.",
                about=card.name,
                remedy="Add a Convert card in between.",
            )
        return source

    def _interface(self, scope: _Scope, name: str, type_name: str, shift: Shift) -> Source | None:
        """An input of the network around, looked up where its card lies."""
        if scope.card is None or scope.outer is None:
            return None
        tabs = scope.tabs
        tab = tabs.get(name) if tabs is not None else TabDef(name, type_name, zero(type_name))
        if tab is None:
            return None
        one = scope.card.inputs.get(name)
        if tabs is None and one is not None:
            tab = replace(tab, type=one.type, geometry=one.attributes.get("defaultgeomprop", ""))
        return self._resolve(scope.outer, scope.card, tab, shift)

    def _literal(self, scope: _Scope, card: Card, tab: TabDef, value: Value | None, space: str) -> Source:
        if tab.type in TEXTS:
            if tab.type == "filename":
                space = space if space not in ("", "none") else self._space(scope, card)
                return Const(self._image(scope, str(value or ""), space), tab.type)
            return Const(value if value is not None else "", tab.type)
        if value is None:
            return _neutral(tab.type)
        array = as_array(value, tab.type)
        if tab.type in ("color3", "color4") and space != "none":
            space = space or self._space(scope, card)
            if not is_linear(space):
                array = to_linear(array, space)
        return Const(array, tab.type)

    @staticmethod
    def _space(scope: _Scope, card: Card) -> str:
        return card.attributes.get("colorspace") or scope.space

    def _image(self, scope: _Scope, name: str, space: str) -> ImageRef:
        if not name:
            return ImageRef("")
        return ImageRef(str(self.folder / (scope.prefix + name)), space or "lin_rec709")

    def _geometry(self, tab: TabDef, shift: Shift) -> Source:
        function = geometry(tab.geometry)
        if function is None:
            return _neutral(tab.type)
        return self._add(function, f"geometry {tab.geometry}", tab.type, shift, {}, True, False)

    # ---- steps --------------------------------------------------------------------------------

    def _step(self, scope: _Scope, card: Card, definition: NodeDef, shift: Shift) -> dict[str, Source]:
        mark, function = definition.mark, definition.function
        assert mark is not None
        assert function is not None
        sources: dict[str, Source | None] = {}
        for tab in definition.inputs.values():
            sources[tab.name] = self._resolve(scope, card, tab, shift)
        for name in mark.heights:
            if name not in definition.inputs:
                continue
            tab = definition.inputs[name]
            wanted = self.filtered or "file" not in definition.inputs
            for axis, suffix in ((0, "_du"), (1, "_dv")):
                sources[name + suffix] = self._resolve(scope, card, tab, (*shift, axis)) if wanted else None
        constants = {name: one.value for name, one in sources.items() if isinstance(one, Const)}
        picked = mark.picks(constants)
        if picked in definition.inputs and definition.type != "multioutput":
            return {next(iter(definition.outputs)): _as_type(sources[str(picked)], definition.type)}
        self._check_images(scope, card, definition, sources)
        for text in () if self.strict else mark.beyond(constants):
            self._note(scope, card, CollageError(text, about=card.name))
        out_type, key = definition.type, f"{function.__module__}.{function.__qualname__} {definition.name}"
        made = self._add(function, key, out_type, shift, sources, mark.spatial, scope.shown or mark.rays)
        if out_type != "multioutput":
            return {next(iter(definition.outputs)): made}
        if isinstance(made, Const):
            return {name: Const(made.value[name], out.type) for name, out in definition.outputs.items()}
        return {name: Ref(made.key, out.type, name) for name, out in definition.outputs.items()}

    def _check_images(self, scope: _Scope, card: Card, definition: NodeDef, sources: dict[str, Source | None]) -> None:
        """A file that cannot be read becomes the standard's default, or loud, and is told once."""
        for name, source in sources.items():
            ref = source.value if isinstance(source, Const) else None
            if not isinstance(ref, ImageRef) or not ref.path:
                continue
            if definition.type not in ("color3", "color4") and not is_linear(ref.space):
                ref = ImageRef(ref.path)  # data has no colour space
                sources[name] = Const(ref, "filename")
            if definition.category == "image" and definition.type == "float":
                ref = replace(ref, single=True)
                sources[name] = Const(ref, "filename")
            tiled = is_pattern(ref.path) and definition.category == "image"
            found, errors = self.maps.look_at_tiles(ref) if tiled else self.maps.look(ref)
            sources[name] = Const(found, "filename")
            if found.stand_in:
                self.waiting[self._shown_at(scope, card)] = ref
            if self.strict:
                continue
            for error in errors:
                self._note(scope, card, error)
            if tiled:  # the default stands for missing tiles, and is read as the file is
                loud = inverse_curve(ref.space)(self._loud_of(definition.type)).astype(np.float32)
                sources["default"] = Const(loud, definition.type)
            elif errors:
                sources["default"] = Const(self._loud_of(definition.type), definition.type)

    def _add(
        self,
        function: Callable[..., Any],
        label: str,
        type_name: str,
        shift: Shift,
        sources: Mapping[str, Source | None],
        spatial: bool,
        keep: bool,
    ) -> Source:
        if not spatial and all(isinstance(source, Const) for source in sources.values()):
            return Const(_fold(function, type_name, sources), type_name)
        parts = [label, type_name, repr(shift) if spatial else ""]
        parts += [
            f"{name}={'' if one is None else one.key if isinstance(one, Const) else one.name}"
            for name, one in sources.items()
        ]
        key = hashlib.blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()
        if key not in self.steps or (keep and not self.steps[key].keep):
            self.steps[key] = Step(key, function, type_name, shift, dict(sources), keep, spatial)
        return Ref(key, type_name)


def _as_type(source: Source | None, type_name: str) -> Source:
    if source is None:
        return _neutral(type_name)
    if isinstance(source, Ref):
        return source
    count = CHANNELS.get(type_name, 1)
    value = np.broadcast_to(source.value, (count, 1)) if isinstance(source.value, np.ndarray) else source.value
    return Const(value, type_name)


def _fold(function: Callable[..., Any], type_name: str, sources: Mapping[str, Source | None]) -> Any:
    values = {name: one.value for name, one in sources.items() if isinstance(one, Const)}
    with np.errstate(all="ignore"):
        return typed(function(Context(None, type_name), **values), type_name)


def _neutral(type_name: str) -> Const:
    value = zero(type_name)
    if value is None or isinstance(value, str):
        return Const(value, type_name)
    return Const(as_array(value, type_name), type_name)
