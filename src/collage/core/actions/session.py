"""The session: the open project with its history, what is chosen, and the edits that the window makes.

Panels write through the session and listen to its signals; they never hold a copy of the document.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from psygnal import Signal

from collage.core.actions.registry import act
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.document import edits
from collage.core.document.history import History
from collage.core.document.links import Place, link_of, linked_value, set_linked, without_idle_links
from collage.core.document.materials import DISPLACEMENT, blended, hidden_on_board, material_card, showing, surface_card
from collage.core.document.model import Card, Network, Value, Wire, inside, replaced_inside
from collage.core.evaluate.plan import CardOutput
from collage.core.gather.spaces import with_file
from collage.core.images.files import read_info
from collage.core.images.store import ImageStore
from collage.core.nodes.adding import added, free_place, image_card
from collage.core.nodes.labels import label_of, title_of
from collage.core.nodes.library import Library, NodeDef, TabDef, main_inputs, shown_value
from collage.core.nodes.projectors import sides_filled
from collage.core.nodes.wiring import join
from collage.core.project.folder import (
    copy_files,
    load_project,
    material_folder,
    project_folder,
    relative_name,
    save_project,
)
from collage.core.project.fresh import FRESH, MATERIAL, empty_project
from collage.core.project.lock import Holder, Lock
from collage.core.project.objects import brought_along
from collage.core.project.recovery import Desk
from collage.core.project.references import moved, stored_path
from collage.core.project.state import Project
from collage.core.scene.bench import Bench, Camera

Result = TypeVar("Result")


class Session:
    """One open project."""

    changed = Signal(object, object)  # project before, project after
    material_changed = Signal()  # another material, or another group of it, is in hand
    selection_changed = Signal()
    peek_changed = Signal()
    camera_changed = Signal()
    saved = Signal()
    opened = Signal()  # another project is in hand
    files_changed = Signal()  # files on disk that the project names
    problem = Signal(object)  # CollageError

    def __init__(self, library: Library, images: ImageStore, desk: Desk | None = None) -> None:
        self.library, self.images = library, images
        self.desk = desk or Desk()
        self.history: History[Project] = History(empty_project())
        self.folder: Path | None = None
        self.material = MATERIAL
        self.path: tuple[str, ...] = ()
        self.selection: tuple[str, ...] = ()
        self.peeked: CardOutput | None = None
        self.before: Project | None = None  # shown instead of the project while a key is held
        self.camera = Camera()
        self._clean: Project = self.history.state
        self._desk_lock = threading.Lock()
        self.lock: Lock | None = None  # on the project's folder
        self.other: Holder | None = None  # the other process that has it open
        self.history.changed.connect(self._on_changed)

    # ---- what is there ------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The project in hand as it is now."""
        return self.history.state

    @property
    def shown_project(self) -> Project:
        """The project as it is looked at: with the camera where it is now, and as it was while a key is held."""
        return self._as_seen(self.before or self.project)

    def _as_seen(self, project: Project) -> Project:
        return project.with_bench(project.bench.model_copy(update={"camera": self.camera}))

    @property
    def document(self) -> Network:
        """The material in hand."""
        return self.project.materials.get(self.material) or Network()

    @property
    def network(self) -> Network:
        """What the board shows: the material, or the inside of the group that is open."""
        try:
            return inside(self.document, self.path)
        except KeyError:
            return self.document

    @property
    def surface(self) -> Card | None:
        """The card of the material's surface; None where it has none."""
        return surface_card(self.document)

    def channel_card(self, channel: str) -> Card | None:
        """The card that has a channel: the surface, or for its displacement the material; None inside a group."""
        if self.path:
            return None
        return material_card(self.document) if channel == DISPLACEMENT else self.surface

    @property
    def base_folder(self) -> Path:
        """The project's folder; before it has one the current folder, or the home where that is gone."""
        if self.folder is not None:
            return self.folder
        try:
            os.getcwd()
        except OSError:
            return Path.home()
        return Path()

    @property
    def bench(self) -> Bench:
        """The bench, with the whole names of its objects' files."""
        return self.project.bench.in_folder(self.base_folder)

    @property
    def dirty(self) -> bool:
        """Whether anything has changed since the last save."""
        return self.project is not self._clean

    def definition(self, name: str) -> NodeDef | None:
        """What a card of the board is; None for groups and unknown kinds."""
        card = self.network.cards.get(name)
        if card is None or card.network is not None:
            return None
        try:
            return self.library.definition(card)
        except CollageError:
            return None

    def _on_changed(self, before: Project, after: Project) -> None:
        if self.material not in after.materials:
            self.material = next(iter(after.materials), "")
            self.path = ()
        self.before = None
        kept = tuple(name for name in self.selection if name in self.network.cards)
        self.changed.emit(before, after)
        if kept != self.selection:
            self.select(kept)
        if self.peeked is not None and self.peeked.card not in self.network.cards:
            self.peek(None)

    # ---- what is chosen -----------------------------------------------------------------------

    def select(self, names: Iterable[str]) -> None:
        """Selects cards of the open network; names that are not there are left out."""
        chosen = tuple(names)
        if chosen != self.selection:
            self.selection = chosen
            self.selection_changed.emit()

    def show_material(self, name: str) -> None:
        """Opens a material on the board."""
        if name in self.project.materials and (name != self.material or self.path):
            self.material, self.path, self.selection, self.peeked = name, (), (), None
            self.material_changed.emit()
            self.selection_changed.emit()
            self.peek_changed.emit()

    def lead_to_change(self, before: Project) -> str:
        """Shows the material that changed since `before`, if none of those is shown. Returns in words where it was."""
        after = self.project
        changed = [name for name, one in after.materials.items() if before.materials.get(name) is not one]
        if changed and self.material not in changed:
            self.show_material(changed[0])
            return f"(in the material {changed[0]})"
        return "(on the bench)" if not changed and before.bench != after.bench else ""

    def open_group(self, path: tuple[str, ...]) -> None:
        """Opens a group by the names that lead to it; () is the material itself."""
        if path != self.path:
            self.path, self.selection, self.peeked = path, (), None
            self.material_changed.emit()
            self.selection_changed.emit()
            self.peek_changed.emit()

    def peek(self, target: CardOutput | None) -> None:
        """Shows a card's output alone on the objects; None goes back to the material."""
        if target != self.peeked:
            self.peeked = target
            self.peek_changed.emit()

    def show_before(self, change: Callable[[Network], Network] | None) -> None:
        """While a key is held: the picture as if the material were changed so; None brings back what is."""
        shown = None if change is None else self.project.with_material(self.material, change(self.document))
        if shown is not self.before:
            self.before = shown
            self.peek_changed.emit()

    def toggle_peek(self, card: str, output: str = "") -> None:
        """Peeks at a card's output, or stops if it is peeked at already."""
        target = CardOutput(card, output, self.path)
        self.peek(None if self.peeked == target else target)

    def look(self, camera: Camera) -> None:
        """Moves the eye. Looking is no edit: it is saved, but not undone."""
        if camera != self.camera:
            self.camera = camera
            self.camera_changed.emit()

    # ---- edits --------------------------------------------------------------------------------

    def attempt(self, act: Callable[[], Result]) -> Result | None:
        """What an act gives; None where it cannot be done, which is told as a problem."""
        try:
            return act()
        except CollageError as error:
            self.problem.emit(error)
            return None

    def edit(self, label: str, change: Callable[[Network], Network], *, merge: str = "") -> bool:
        """Changes the network on the board as one step. A refusal is told, and False comes back."""
        return self.edit_document(
            label,
            lambda document: replaced_inside(
                document, self.path, without_idle_links(change(inside(document, self.path)))
            ),
            merge=merge,
        )

    def edit_document(self, label: str, change: Callable[[Network], Network], *, merge: str = "") -> bool:
        """Changes the whole material as one undo step; see `edit`."""
        material = self.material

        def on_project(project: Project) -> Project:
            before = project.materials[material]
            after = change(before)
            return project if after is before else project.with_material(material, after)

        try:
            self.history.do(label, on_project, merge=merge)
        except CollageError as error:
            self.problem.emit(error)
            return False
        return True

    def edit_bench(self, label: str, change: Callable[[Bench], Bench], *, merge: str = "") -> None:
        """Changes objects, lights, camera or environment as one undo step; steps with the same `merge` become one."""
        self.history.do(label, lambda project: project.with_bench(change(project.bench)), merge=merge)

    @act("cards.set", "Set value", command="cards set")
    def set_value(
        self, card: str, name: str, type_name: str, value: Value, *, label: str = "", merge: bool = False
    ) -> None:
        """Gives an input a value; what is linked with it follows."""
        place = Place(card, name)

        def change(network: Network) -> Network:
            if link_of(network, place) is not None:
                return set_linked(network, place, value)
            if type_name != "filename":
                return edits.set_value(network, card, name, type_name, value)
            for one in sides_filled(network.cards[card], name):
                network = edits.set_value(network, card, one, type_name, value)
                new = with_file(network, card, network.cards[card].inputs[one], self.found(str(value)))
                network = edits.set_input(network, card, new)
            return network

        self.edit(
            f"Set {label or name} of {self.title(card)}",
            change,
            merge=f"{self.material}/{self.path}/{card}.{name}" if merge else "",
        )

    def value_of(self, card: Card, tab: TabDef) -> Value | None:
        """What an input has: by its link, of its own, or by default."""
        linked = linked_value(self.network, Place(card.name, tab.name))
        return linked if linked is not None else shown_value(card, tab)

    @act("cards.reset", "Reset to default", command="cards reset")
    def reset_value(self, card: str, name: str) -> None:
        """Gives an input its default back."""
        self.edit(f"Reset {name} of {self.title(card)}", lambda network: edits.set_input(network, card, None, name))

    @act("cards.wire", "Wire", command="cards wire")
    def wire(self, source: Wire, card: str, name: str, type_name: str) -> bool:
        """Wires an output to an input; types convert where they meet."""
        return self.edit(
            f"Wire {self.title(source.card)} to {self.title(card)}",
            lambda network: join(self.library, network, source, card, name, type_name),
        )

    @act("cards.unwire", "Cut the wire", command="cards cut")
    def unwire(self, card: str, name: str) -> None:
        """Cuts the wire at an input."""
        self.edit(f"Cut the wire to {self.title(card)}", lambda network: edits.disconnect(network, card, name))

    @act("channels.mute", "Mute", command="cards mute")
    def mute(self, name: str, muted: bool) -> None:
        """Shows a surface input's default without losing what it has."""
        surface = self.surface
        if surface is None:
            return
        kind = self.library.definition(surface).inputs[name].type
        self.edit_document(
            f"{'Mute' if muted else 'Unmute'} {name}",
            lambda network: edits.mute(network, surface.name, name, kind, muted),
        )

    def title(self, card: str) -> str:
        """What a card is called on the board."""
        found = self.network.cards.get(card) or self.document.cards.get(card)
        return title_of(found) if found is not None else card

    def main_inputs(self, names: Iterable[str]) -> dict[str, str | None]:
        """By card, the input that takes a wire dropped on it; None where there is none."""
        return main_inputs(self.library, self.network, names)

    @act("cards.add", "Add…", keys="Enter", command="cards add")
    def add(
        self,
        definition: NodeDef,
        place: tuple[float, float],
        source: Wire | None = None,
        target: str = "",
        name: str = "",
    ) -> str:
        """Adds a card at a place on the board, wired to `source` if given. Returns its name."""
        name = name or self.network.free_name(definition.category)
        self.edit(
            f"Add {label_of(definition.category)}",
            lambda network: added(self.library, network, definition, place, source, target, name)[0],
        )
        self.select((name,))
        return name

    @act("surfaces.blend", "Blend with another surface", command="cards blend")
    def blend_surface(self) -> None:
        """A second surface over the material's own, blended half and half until a mask is wired."""
        x = max((card.position[0] for card in self.document.cards.values() if card.placed), default=0.0)
        place = (x + 1.2, 0.0)
        made: list[str] = []

        def change(network: Network) -> Network:
            network, front = blended(network, place)
            made.append(front)
            return network

        self.open_group(())
        if self.surface is not None and self.edit_document("Blend with another surface", change):
            self.select(made)

    @act("surfaces.show", "Show this surface alone", command="cards show-surface")
    def show_surface(self, card: str) -> None:
        """Makes a surface on the board the one that the material shows."""
        self.edit_document(f"Show {self.title(card)} alone", lambda network: showing(network, card))

    @act("cards.remove", "Remove", keys="Del", command="cards remove")
    def remove(self, names: Iterable[str]) -> None:
        """Removes cards; the wires before and behind them are joined."""
        hidden = hidden_on_board(self.network)
        names = [name for name in names if name in self.network.cards and name not in hidden]
        if names:
            label = f"Remove {self.title(names[0])}" if len(names) == 1 else f"Remove {len(names)} cards"
            main = self.main_inputs(names)
            self.edit(label, lambda network: edits.remove_cards(network, names, main))

    @act("cards.skip", "Skip", keys="K", command="cards skip")
    def skip(self, names: Iterable[str], skipped: bool | None = None) -> None:
        """Switches cards off, so that what goes in comes out; on again if all of them are off."""
        names = [name for name in names if name in self.network.cards]
        if names:
            off = not all(self.network.cards[name].skipped for name in names) if skipped is None else skipped
            word = "Skip" if off else "Use"
            label = f"{word} {self.title(names[0])}" if len(names) == 1 else f"{word} {len(names)} cards"
            self.edit(label, lambda network: edits.skip_cards(network, names, off))

    @act("cards.duplicate", "Duplicate", keys="Ctrl+D", command="cards duplicate")
    def duplicate(self, names: Iterable[str]) -> None:
        """Copies cards, wired as they are."""
        names = [name for name in names if name in self.network.cards]
        fresh: dict[str, str] = {}

        def change(network: Network) -> Network:
            after, made = edits.duplicate_cards(network, names, (0.25, 0.25))
            fresh.update(made)
            return after

        if names and self.edit("Duplicate", change):
            self.select(fresh.values())

    @act("cards.add_image", "Add an image", command="cards image")
    def add_image(self, path: Path, place: tuple[float, float]) -> str:
        """An image card for a file: its colour space fits, and alpha comes out beside the colour."""
        name = self.network.free_name("image")
        card = image_card(name, self.relative(path), read_info(path).channels, path.stem)

        def change(network: Network) -> Network:
            network = edits.add_card(network, card)
            network = edits.set_input(network, name, with_file(network, name, card.inputs["file"], path))
            return edits.move_cards(network, {name: free_place(network, place)})

        self.edit(f"Add {path.name}", change)
        self.select((name,))
        return name

    def relative(self, path: Path) -> str:
        """A file's name as a material holds it: from the folder that the material lies in, once there is one."""
        if self.folder is None:
            return path.resolve().as_posix()
        return relative_name(path, material_folder(self.base_folder))

    def found(self, stored: str) -> Path:
        """Where a file lies that a material names."""
        return stored_path(self.document, stored, self.base_folder)

    # ---- files --------------------------------------------------------------------------------

    @act("project.open", "Open…", keys="Ctrl+O", command="open")
    def open(self, folder: Path) -> None:
        """Opens a project folder. Raises CollageError if there is none."""
        folder = project_folder(folder)
        project, problems = load_project(folder)
        self.put(project, folder)
        for problem in problems:
            self.problem.emit(problem)

    def put(self, project: Project, folder: Path | None, *, saved: bool = True) -> None:
        """Takes a project in hand in the place of the one before."""
        self.folder = folder
        self._hold(folder)
        self.camera = project.bench.camera
        worn = [name for item in project.bench.objects for name in item.materials if name in project.materials]
        self.material = (worn or list(project.materials) or [""])[0]
        self.path, self.selection, self.peeked = (), (), None
        self.history.reset(project)
        self._clean = self.history.state if saved else Project()
        self.material_changed.emit()
        self.selection_changed.emit()
        self.peek_changed.emit()
        self.camera_changed.emit()
        self.saved.emit()
        self.opened.emit()

    @act("project.save", "Save", keys="Ctrl+S", without="every command saves what it changes")
    def save(self, folder: Path | None = None, *, files_are_there: bool = False) -> None:
        """Saves to the project's folder, or to another one, maps and all. Raises CollageError.

        files_are_there : the maps have been copied to the other folder already.
        """
        target = folder or self.folder
        if target is None:
            raise CollageError("The project has no folder yet.", remedy="Choose one with Save as.")
        if not self.is_elsewhere(target) and self.lock is not None:
            self.lock.check()
        if self.is_elsewhere(target) and self.folder is not None and not files_are_there:
            copy_files(self.folder, target)
        if target.resolve() != self.base_folder.resolve():
            before = self.base_folder
            along = finished(brought_along(moved(self.project, before, target), target))
            self.history.do("Update file paths", lambda _: self._named(along, target))
        save_project(self._as_seen(self.project), target)
        if self.is_elsewhere(target) or self.lock is None:
            self._hold(target)
        self.folder = target
        self._clean = self.project
        with self._desk_lock:
            self.desk.clear()
        self.saved.emit()

    def _named(self, project: Project, folder: Path) -> Project:
        """A project that nobody has named yet is called what its first folder is."""
        return replace(project, name=folder.name) if self.folder is None and project.name == FRESH else project

    def _hold(self, folder: Path | None) -> None:
        """Tells other processes that the project is open here, and gives the one before back."""
        if self.lock is not None:
            self.lock.release()
        self.lock = Lock(folder) if folder is not None and folder.is_dir() else None
        self.other = self.lock.take() if self.lock is not None else None

    def take_over(self) -> None:
        """Takes the project from the other process that has it open; that one is told when it saves."""
        if self.lock is not None:
            self.lock.take(by_force=True)
            self.other = None

    def is_elsewhere(self, folder: Path) -> bool:
        """Whether saving to a folder needs the project's files copied there first."""
        return self.folder is not None and folder.resolve() != self.folder.resolve()

    def keep_safe(self) -> None:
        """Puts unsaved work on disk for recovery; called on a worker thread."""
        with self._desk_lock:
            if self.dirty:
                self.desk.write(self.project, self.folder)
            else:
                self.desk.clear()

    def close(self) -> None:
        """Gives back the project's lock, the recovery copy and the images."""
        if self.lock is not None:
            self.lock.release()
        with self._desk_lock:
            self.desk.clear()
        self.images.clear()  # whoever still knows the session holds no pictures
