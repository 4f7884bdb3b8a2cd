"""Reads and writes the document's own form, MaterialX 1.39.

A file from outside is not trusted: it is looked through by a parser that takes no document type, no
entities and no deep nesting before the standard's library reads it (and upgrades older versions).
"""

from __future__ import annotations

import re
import xml.parsers.expat
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import MaterialX as mx

from collage.core.base.errors import CollageError, disk_errors
from collage.core.document.model import UNREAD, Card, Element, Input, Network, Output, Wire
from collage.core.document.types import parse, write

MAX_BYTES = 64 * 2**20
MAX_DEPTH = 40
MAX_ELEMENTS = 500_000

_NODES = Path(__file__).parent.parent / "nodes"
OWN_DEFINITIONS = tuple(_NODES / f"{name}.mtlx" for name in ("collage_defs", "coordinates", "relief", "masks"))
"""Files of Collage's definitions. A document carries those it uses along, so that other programs understand it."""

_OWN = ("ND_clg_", "NG_clg_")
_WIRE_ATTRIBUTES = {"nodename", "nodegraph", "output", "interfacename"}
BOTH = "clg_both"  # noted, never written: the file has a value and a wire, which the standard does not allow
WAITING = "clg_value"  # attribute of a wired input: the value that comes back when its wire is cut
_INPUT_OWN = _WIRE_ATTRIBUTES | {WAITING, "type", "value"}


def read_document(path: Path) -> Network:
    """The document in a .mtlx file. Raises CollageError with a sentence for whatever is wrong with it."""
    with disk_errors("The file cannot be read", about=path.name, remedy="Check its path and rights."):
        if path.exists() and not path.is_file():
            raise CollageError("This is no file.", about=path.name, remedy="Choose a MaterialX document.")
        size = path.stat().st_size
        if size > MAX_BYTES:
            raise CollageError(
                f"The file is {size // 2**20} MB long; a material document has at most {MAX_BYTES // 2**20} MB.",
                about=path.name,
                remedy="Check that it really is a MaterialX document.",
            )
        data = path.read_bytes()
    return parse_document(data, about=path.name)


def parse_document(data: bytes, *, about: str = "document") -> Network:
    """The document in the text `data`."""
    check_document(data, about)
    document = mx.createDocument()
    options = mx.XmlReadOptions()
    options.readXIncludeFunction = None  # a document never pulls in other files
    try:
        mx.readFromXmlString(document, data.decode("utf-8"), mx.FileSearchPath(), options)
    except UnicodeDecodeError as error:
        raise CollageError("The text is not UTF-8.", about=about, remedy="Save it as UTF-8.") from error
    except Exception as error:  # the library raises its own kinds, all derived from Exception alone
        raise CollageError(f"MaterialX cannot read the file: {error}.", about=about) from error
    network = _network(document)
    return replace(
        network,
        cards={name: card for name, card in network.cards.items() if not name.startswith(_OWN)},
        kept=tuple(one for one in network.kept if not one.name.startswith(_OWN)),
    )


_TOKEN = re.compile(r"<(UDIM|UVTILE|[A-Z]+TOKEN)>")
"""What the standard puts into file names for numbers; its library writes it as it is, which is no sound XML."""

_QUOTED = re.compile(r'"[^"]*"')


def write_document(network: Network) -> str:
    """The text of the document, as the standard's library writes it, but sound XML with numbered file names too."""
    text = str(mx.writeToXmlString(to_library(network)))
    return _QUOTED.sub(lambda found: found[0].replace("<", "&lt;").replace("\t", "&#9;"), text)


def validate(network: Network) -> list[str]:
    """What the standard's library has to say against the document; empty when it is sound."""
    document = to_library(network)
    document.setDataLibrary(_standard_definitions())
    valid, message = document.validate()
    if valid:
        return []
    return [line for line in message.split("\n") if line.strip()]


def to_library(network: Network) -> Any:
    """The document as an object of the standard's library."""
    document = mx.createDocument()
    for name, value in network.attributes.items():
        document.setAttribute(name, value)
    _fill(document, network)
    used = {name for name in _categories(network) if name.startswith("clg_")}
    if used:
        _carry_own(document, used)
    return document


def _categories(network: Network) -> Iterator[str]:
    for card in network.cards.values():
        yield card.category
        if card.network is not None:
            yield from _categories(card.network)


def own_definitions() -> Any:
    """The document of Collage's definitions, as an object of the standard's library."""
    document = mx.createDocument()
    add_own_definitions(document)
    return document


def add_own_definitions(document: Any) -> None:
    """Reads Collage's definitions into a document of the standard's library."""
    for path in OWN_DEFINITIONS:
        mx.readFromXmlFile(document, str(path))


def _carry_own(document: Any, used: set[str]) -> None:
    """Copies the used definitions, with their graphs and what those use in turn."""
    own, done = own_definitions(), set[str]()
    while used - done:
        category = min(used - done)
        done.add(category)
        for definition in own.getMatchingNodeDefs(category):
            graphs = [one for one in own.getNodeGraphs() if one.getNodeDefString() == definition.getName()]
            for one in (definition, *graphs):  # what looks around with rays has no graph
                copy = document.addChildOfCategory(one.getCategory(), one.getName())
                copy.copyContentFrom(one)
            for graph in graphs:
                used |= {node.getCategory() for node in graph.getNodes() if node.getCategory().startswith("clg_")}


def _standard_definitions() -> Any:
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    return library


def check_document(data: bytes, about: str) -> None:
    """Whether the text is a whole document of sound XML, without what could harm. Raises CollageError if not."""
    parser = xml.parsers.expat.ParserCreate()
    depth = count = 0

    def refuse(message: str) -> None:
        raise CollageError(message, about=about, remedy="Only plain MaterialX documents are opened.")

    def start(name: str, _attributes: dict[str, str]) -> None:
        nonlocal depth, count
        if count == 0 and name != "materialx":
            refuse(f"This is not a MaterialX document: it begins with <{name[:40]}>.")
        depth += 1
        count += 1
        if depth > MAX_DEPTH:
            refuse(f"The file nests its elements more than {MAX_DEPTH} deep.")
        if count > MAX_ELEMENTS:
            refuse(f"The file has more than {MAX_ELEMENTS:,} elements.")

    def end(_name: str) -> None:
        nonlocal depth
        depth -= 1

    def doctype(*_args: object) -> None:
        refuse("The file declares a document type or entities, which a material never needs.")

    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.StartDoctypeDeclHandler = doctype
    parser.EntityDeclHandler = doctype
    try:
        parser.Parse(re.sub(_TOKEN.pattern.encode(), rb"&lt;\1&gt;", data), True)
    except xml.parsers.expat.ExpatError as error:
        raise CollageError(
            f"The file is broken at line {error.lineno}: {xml.parsers.expat.errors.messages[error.code]}.",
            about=about,
            remedy="Export it again, or mend that line in a text editor.",
        ) from error


# ---- reading ----------------------------------------------------------------------------------


def attributes_of(element: Any, leave_out: set[str] | None = None) -> dict[str, str]:
    """All attributes of a library element but its name and those in `leave_out`."""
    leave_out = leave_out or set()
    return {name: element.getAttribute(name) for name in element.getAttributeNames() if name not in leave_out}


def _element(source: Any) -> Element:
    return Element(
        source.getCategory(),
        source.getName(),
        attributes_of(source),
        tuple(_element(child) for child in _children(source)),
    )


def _children(source: Any) -> list[Any]:
    """The elements inside another; text between them, which the library takes for elements too, says nothing."""
    return [child for child in source.getChildren() if child.getCategory()]


def _network(source: Any) -> Network:
    cards: dict[str, Card] = {}
    inputs: dict[str, Input] = {}
    outputs: dict[str, Output] = {}
    kept: list[Element] = []
    for child in _children(source):
        name = child.getName()
        if child.isA(mx.Input):
            inputs[name] = _input(child)
        elif child.isA(mx.Output):
            outputs[name] = _output(child)
        elif child.isA(mx.NodeGraph):
            cards[name] = _card(child, _network(child))
        elif child.isA(mx.Node):
            cards[name] = _card(child, None)
        else:
            kept.append(_element(child))
    return Network(cards, inputs, outputs, attributes_of(source), tuple(kept))


def read_network(source: Any) -> Network:
    """The inside of a library nodegraph. Its own attributes belong to the card, not to the network."""
    network = _network(source)
    return Network(network.cards, network.inputs, network.outputs, {}, network.kept)


def _card(source: Any, network: Network | None) -> Card:
    if network is not None:  # a group's inputs are the card's: they take from the network around it
        inside = Network(network.cards, {}, network.outputs, {}, network.kept)
        return Card(source.getName(), "nodegraph", "multioutput", network.inputs, attributes_of(source), inside)
    inputs: dict[str, Input] = {}
    kept: list[Element] = []
    for child in _children(source):
        if child.isA(mx.Input):
            inputs[child.getName()] = _input(child)
        else:
            kept.append(_element(child))
    category = source.getCategory()
    return Card(
        source.getName(),
        category,
        source.getType(),
        inputs,
        attributes_of(source, {"type"}),
        None,
        tuple(kept),
    )


def _wire(source: Any) -> Wire | None:
    card = source.getAttribute("nodename") or source.getAttribute("nodegraph")
    if card:
        return Wire(card, source.getAttribute("output"))
    return None


def _input(source: Any) -> Input:
    text = source.getAttribute("value") or source.getAttribute(WAITING)
    type_name, value = source.getType(), None
    attributes = attributes_of(source, _INPUT_OWN)
    if source.hasAttribute("value") or source.hasAttribute(WAITING):
        try:
            value = parse(type_name, text)
        except ValueError:
            attributes[UNREAD] = text  # it is written again as it is, and the default counts
    if source.hasAttribute("value") and (_wire(source) is not None or source.hasAttribute("interfacename")):
        attributes[BOTH] = "true"
    return Input(
        source.getName(),
        type_name,
        value,
        _wire(source),
        source.getAttribute("interfacename") or None,
        attributes,
    )


def _output(source: Any) -> Output:
    return Output(
        source.getName(),
        source.getType(),
        _wire(source),
        source.getAttribute("interfacename") or None,
        attributes_of(source, _INPUT_OWN),
    )


# ---- writing ----------------------------------------------------------------------------------


def _fill(target: Any, network: Network) -> None:
    for one in network.inputs.values():
        _put_input(target, network, one)
    for card in network.cards.values():
        element = target.addChildOfCategory(card.category, card.name)
        if card.network is None and card.type:
            element.setType(card.type)
        for name, value in card.attributes.items():
            element.setAttribute(name, value)
        for one in card.inputs.values():
            _put_input(element, network, one)
        for child in card.kept:
            _put_element(element, child)
        if card.network is not None:
            _fill(element, card.network)
    for out in network.outputs.values():
        element = target.addChildOfCategory("output", out.name)
        element.setType(out.type)
        _put_wire(element, network, out.wire, out.interface)
        for name, value in out.attributes.items():
            element.setAttribute(name, value)
    for child in network.kept:
        _put_element(target, child)


def _put_element(target: Any, element: Element) -> None:
    new = target.addChildOfCategory(element.category, element.name)
    for name, value in element.attributes.items():
        new.setAttribute(name, value)
    for child in element.children:
        _put_element(new, child)


def _put_input(target: Any, network: Network, one: Input) -> None:
    element = target.addChildOfCategory("input", one.name)
    if one.type:
        element.setType(one.type)
    waits = one.wire is not None or one.interface is not None
    text = write(one.value) if one.value is not None else one.unread
    if text is not None:  # the standard allows a value or a wire; the one that waits is noted beside it
        element.setAttribute(WAITING if waits and BOTH not in one.attributes else "value", text)
    _put_wire(element, network, one.wire, one.interface)
    for name, value in one.attributes.items():
        if name not in (BOTH, UNREAD):
            element.setAttribute(name, value)


def _put_wire(element: Any, network: Network, wire: Wire | None, interface: str | None) -> None:
    if wire is not None:
        source = network.cards.get(wire.card)
        is_group = source is not None and source.network is not None
        element.setAttribute("nodegraph" if is_group else "nodename", wire.card)
        if wire.output:
            element.setAttribute("output", wire.output)
    if interface is not None:
        element.setAttribute("interfacename", interface)
