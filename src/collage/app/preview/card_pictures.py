"""Pictures of cards and of the kinds that can be added, made on a worker thread."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage

from collage.app.preview.images import to_image
from collage.app.shell.jobs import Jobs, Latest
from collage.core.actions.session import Session
from collage.core.assets.shelf import Shelf
from collage.core.base.errors import CollageError
from collage.core.document.changes import compare
from collage.core.document.materials import hidden_on_board, showing
from collage.core.document.model import MAP_SET, Card, Network
from collage.core.evaluate.run import ResultCache, Workers
from collage.core.gather.spaces import doubts_of
from collage.core.nodes.labels import Offer, new_card
from collage.core.nodes.library import Library
from collage.core.project.references import stored_path
from collage.core.project.state import Project
from collage.core.render.cards import Box, CardPictures, Ground, card_pictures
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import swatch
from collage.core.render.values import Limits, limits_of
from collage.core.render.work import MOMENT
from collage.core.scene.bench import BenchObject
from collage.core.scene.scene import object_bounds
from collage.core.scene.stage import Stage

PICTURE_SIZE = (228, 136)
BETWEEN = 250  # milliseconds after the pictures of all cards until the next ones begin, while a hand moves
TILE_SIZE = (116, 84)  # pictures among the sources, drawn at half of it


@dataclass(frozen=True)
class BoardPictures:
    """The cards' pictures of one state of a network."""

    material: str
    path: tuple[str, ...]
    images: dict[str, QImage]
    problems: dict[str, CollageError]
    values: dict[str, np.ndarray]  # (k, h w), what a picture shows, by card
    size: tuple[int, int] = (1, 1)
    limits: dict[str, Limits] = field(default_factory=dict)
    doubts: dict[str, str] = field(default_factory=dict)  # what speaks against a file's colour space
    waiting: frozenset[str] = frozenset()  # cards whose images are being read


class PictureMaker(QObject):
    """Keeps the pictures of the session's cards current; newer states overtake older ones."""

    ready = Signal(object)  # BoardPictures
    kinds_ready = Signal(object)  # dict of category to QImage
    material_ready = Signal(object)  # BoardPictures of a material; the one without a name stands for it
    kept_ready = Signal(object)  # dict of saved group to QImage

    def __init__(
        self, session: Session, renderer: Renderer, jobs: Jobs, shelf: Shelf, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.session, self.shelf = session, shelf
        self.workers = Workers(renderer.workers.count, behind=True)  # the preview comes first
        self.renderer = Renderer(renderer.library, renderer.images, self.workers, renderer.caches)
        self.cache = ResultCache(renderer.images.budget)
        self.ground: Ground = "flat"
        self.mark = False
        self.worker = Latest(jobs, self, behind=True)
        self.worker.answered.connect(self._made)
        self.kinds_worker = Latest(jobs, self, behind=True)
        self.kinds_worker.answered.connect(self.kinds_ready)
        self.materials_worker = Latest(jobs, self, behind=True)
        self.materials_worker.answered.connect(self.material_ready)
        self.kept_worker = Latest(jobs, self, behind=True)
        self.kept_worker.answered.connect(self.kept_ready)
        self._soon = QTimer(self)  # while a hand moves, the preview comes first
        self._soon.setSingleShot(True)
        self._soon.setInterval(BETWEEN)
        self._soon.timeout.connect(self._ask_again)
        self._again = False
        self._begun = False
        self._rest = QTimer(self)  # materials are looked at again when the hand rests
        self._rest.setSingleShot(True)
        self._rest.setInterval(700)
        self._rest.timeout.connect(self.ask_materials)
        session.changed.connect(self._on_changed)
        session.material_changed.connect(self.ask)
        session.files_changed.connect(self._files_changed)
        session.saved.connect(self.ask_materials)

    def begin(self, offers: list[Offer]) -> None:
        """Makes the first pictures; called once the preview has its own, which comes first."""
        if not self._begun:
            self._begun = True
            self.ask()
            self.ask_kinds(offers)
            self.ask_kept()
            self._rest.start()

    @property
    def settled(self) -> bool:
        """Whether the cards and the kinds have their pictures of the present state."""
        return self._begun and not self._again and self.worker.idle and self.kinds_worker.idle

    @property
    def all_settled(self) -> bool:
        """Whether the materials too have their pictures."""
        return self.settled and self.materials_worker.idle and self.kept_worker.idle and not self._rest.isActive()

    def close(self) -> None:
        self._rest.stop()
        self._soon.stop()
        self.session.changed.disconnect(self._on_changed)
        self.session.material_changed.disconnect(self.ask)
        self.session.files_changed.disconnect(self._files_changed)
        self.session.saved.disconnect(self.ask_materials)
        self.worker.close()
        self.materials_worker.close()
        self.kept_worker.close()
        self.kinds_worker.close()

    def _files_changed(self) -> None:
        self._rest.start()
        self.ask()

    def _on_changed(self, before: Project, after: Project) -> None:
        """Asks anew, unless all that changed is where cards lie and what they are called."""
        if before.materials != after.materials:
            self._rest.start()
        old, new = (project.materials.get(self.session.material) for project in (before, after))
        if old is None or new is None or compare(old, new).shows or _looks(before) != _looks(after):
            self.ask()

    def show_on(self, ground: Ground, mark: bool) -> None:
        """What cards' pictures lie on, and whether values outside 0 to 1 are hatched."""
        if (ground, mark) != (self.ground, self.mark):
            self.ground, self.mark = ground, mark
            self.ask()

    def _wearer(self) -> BenchObject:
        """The first object that has the material, or the shape that it is shown on: pictures are of its size."""
        bench, material = self.session.bench, self.session.material
        wearers = (item for item in bench.objects if material in item.materials)
        return next(wearers, None) or Stage().bench(bench, material).objects[0]

    def ask(self) -> None:
        """Asks for the cards' pictures: at once, or shortly where they have been asked for just before."""
        if not self._begun:
            return
        if self._soon.isActive():
            self._again = True
            return
        self._soon.start()
        self._ask_now()

    def _made(self, pictures: BoardPictures) -> None:
        self._soon.start()
        self._again = self._again or bool(pictures.waiting)
        self.ready.emit(pictures)

    def _ask_again(self) -> None:
        if not self.worker.idle:  # slow ones: the preview has the processors between them, too
            self._soon.start()
        elif self._again:
            self._again = False
            self.ask()

    def _ask_now(self) -> None:
        session, workers, cache = self.session, self.workers, self.cache
        document, path, material, folder = (
            session.document,
            session.path,
            session.material,
            session.base_folder,
        )
        network, wearer, renderer = session.network, self._wearer(), self.renderer
        ground, mark = self.ground, self.mark
        hidden = hidden_on_board(network)
        names = [name for name, card in network.cards.items() if name not in hidden and not card.helper]
        loud = session.project.bench.loud

        surfaces = [name for name in names if network.cards[name].type == "surfaceshader" and not path]

        def work(overtaken: Callable[[], bool]) -> Iterator[BoardPictures]:
            made = card_pictures(
                session.library,
                document,
                names,
                until=time.monotonic() + MOMENT,
                path=path,
                folder=folder / "materials",
                images=session.images,
                loud=loud,
                cache=cache,
                workers=workers,
                size=PICTURE_SIZE,
                ground=ground,
                mark=mark,
                box=object_bounds(wearer),
                on=wearer,
            )
            images, problems = _images(made), _problems(made, path)
            values = dict(made.values)
            limits = {name: limits_of(value) for name, value in values.items()}
            doubts = doubts_of(network, lambda stored: stored_path(document, stored, folder))
            waiting = frozenset(shown for place, name in made.waiting if (shown := _here(place, name, path)))
            first = BoardPictures(material, path, images, problems, values, PICTURE_SIZE, limits, doubts, waiting)
            yield first
            if surfaces:
                balls = {
                    name: to_image(
                        swatch(renderer, showing(document, name), folder / "materials", PICTURE_SIZE, overtaken)
                    )
                    for name in surfaces
                }
                yield replace(first, images={**images, **balls})

        self.worker.ask(work)

    def ask_materials(self) -> None:
        """Pictures of all materials' map sets and base colours, for the sources and the list of materials."""
        if not self._begun:
            return
        session, workers = self.session, self.workers
        materials, folder, renderer = session.project.materials, session.base_folder, self.renderer

        def work(overtaken: Callable[[], bool]) -> Iterator[BoardPictures]:
            for material, document in materials.items():
                names = [name for name, card in document.cards.items() if card.attributes.get(MAP_SET) == "true"]
                made = card_pictures(
                    session.library, document, names, folder=folder / "materials", images=session.images,
                    workers=workers, size=TILE_SIZE, cancelled=overtaken,
                )  # fmt: skip
                images = _images(made)
                images[""] = to_image(swatch(renderer, document, folder / "materials", TILE_SIZE, overtaken))
                yield BoardPictures(material, (), images, {}, {})

        self.materials_worker.ask(work)

    def ask_kinds(self, offers: list[Offer]) -> None:
        """Pictures of every kind at its defaults, for the add field and the sources."""
        library, workers = self.session.library, self.workers

        def work(overtaken: Callable[[], bool]) -> Iterator[dict[str, QImage]]:
            yield pictures_of_kinds(library, offers, workers, overtaken)

        self.kinds_worker.ask(work)

    def ask_kept(self) -> None:
        """Pictures of the saved groups, for the sources and the add field."""
        shelf, library, workers = self.shelf, self.session.library, self.workers

        def work(overtaken: Callable[[], bool]) -> Iterator[dict[str, QImage]]:
            found: dict[str, QImage] = {}
            for name in shelf.names():
                if overtaken():
                    return
                with suppress(CollageError, ValueError, KeyError, IndexError):  # it is there without a picture
                    found[name] = _kept_picture(shelf, name, library, workers)
            yield found

        self.kept_worker.ask(work)


def pictures_of_kinds(
    library: Library, offers: list[Offer], workers: Workers, overtaken: Callable[[], bool]
) -> dict[str, QImage]:
    """Every kind at its defaults, as far as nobody has overtaken it."""
    found: dict[str, QImage] = {}
    for network in _kind_networks(offers):
        if overtaken():
            break
        with suppress(CollageError, ValueError, IndexError):  # those have none
            names = list(network.cards)
            found.update(_images(card_pictures(library, network, names, workers=workers, size=TILE_SIZE, box=KIND_BOX)))
    return found


def _kept_picture(shelf: Shelf, name: str, library: Library, workers: Workers) -> QImage:
    """What a saved group puts out by itself. Raises CollageError."""
    network, names = shelf.put(Network({}), name, (0.0, 0.0))
    made = card_pictures(library, network, names[:1], workers=workers, size=TILE_SIZE, box=KIND_BOX)
    return _images(made)[names[0]]


def _looks(project: Project) -> tuple[object, ...]:
    """What of the bench the cards' pictures depend on."""
    return (project.bench.objects, project.bench.loud)


KIND_BOX: Box = ((0.0, 0.0, 0.3), (5.0, 4.0, 0.3))
_SOURCELESS = ("procedural", "texture2d", "geometric", "procedural2d", "procedural3d")


def _kind_networks(offers: list[Offer]) -> Iterator[Network]:
    """One card each for the kinds that show something without inputs; the rest have no picture."""
    seen: set[str] = set()
    plain = {"float": 0, "color3": 1, "vector2": 2}
    for offer in sorted(offers, key=lambda one: plain.get(one.definition.type, 9)):
        definition = offer.definition
        if definition.category in seen or definition.group not in _SOURCELESS:
            continue
        if definition.category in (
            "image",
            "tiledimage",
            "hextiledimage",
            "latlongimage",
            "triplanarprojection",
            "constant",
        ):
            continue
        seen.add(definition.category)
        card: Card = new_card(definition, definition.category)
        yield Network({card.name: card})


def _images(made: CardPictures) -> dict[str, QImage]:
    return {name: to_image(pixels) for name, pixels in made.pictures.items()}


def _problems(made: CardPictures, path: tuple[str, ...]) -> dict[str, CollageError]:
    """Problems of the shown network's cards; those inside a group are told on the group."""
    found: dict[str, CollageError] = {}
    for (place, name), error in made.problems.items():
        shown = _here(place, name, path)
        if shown:
            found.setdefault(shown, error)
    return found


def _here(place: tuple[str, ...], name: str, path: tuple[str, ...]) -> str:
    """The card of the network at `path` that is a card, or the group that it lies in; empty if it lies elsewhere."""
    if place[: len(path)] != path:
        return ""
    return place[len(path)] if len(place) > len(path) else name
