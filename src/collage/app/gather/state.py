"""What lies on the table of the Gather place: the sets that were found, and what the person changed of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from collage.app.shell.jobs import Jobs, Latest
from collage.core.assets.stock import small_picture
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress
from collage.core.document.history import History
from collage.core.gather.looks import Look, LookAt, look_at, look_through
from collage.core.gather.names import Green
from collage.core.gather.rules import load_rules, save_rules, with_rule, word_of
from collage.core.gather.scan import all_files, gather, list_files
from collage.core.gather.sets import FoundMap, FoundSet, Gathered, Leftover, Rules, in_role, settled
from collage.core.gather.words import ROLES, Role
from collage.core.images.store import ImageStore

THUMB = (40, 30)
KEPT_OPEN = 8
"""Up to so many pictures stay open after they were looked at: they are in the preview at once."""


MOST_LEFT = 60
"""Of so many pictures that are left over there are small ones in the table."""


@dataclass(frozen=True)
class Table:
    """folder : where relative file names start. found : sets and what is left over. rules : the person's own."""

    folder: Path = Path()
    found: Gathered = field(default_factory=Gathered)
    rules: Rules = ()

    def with_set(self, number: int, found: FoundSet) -> Table:
        """The table with another set in the place of one."""
        sets = list(self.found.sets)
        sets[number] = found
        return replace(self, found=replace(self.found, sets=tuple(sets)))


@dataclass(frozen=True)
class Chosen:
    """A set by its number, and a map of it; or the number of a leftover file."""

    set_number: int = -1
    map_number: int = -1
    leftover: int = -1


class GatherState(QObject):
    """The table with its own undo; reading a folder goes on a thread."""

    changed = Signal()
    chosen_changed = Signal()
    progress = Signal(str, float)  # an empty text when it is done
    hint = Signal(str)
    problem = Signal(object)  # CollageError

    def __init__(
        self, images: ImageStore, jobs: Jobs, rules_file: Path | None = None, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.images, self._rules_file = images, rules_file
        self.history: History[Table] = History(Table(rules=load_rules(rules_file)))
        self.chosen = Chosen()
        self._reading, self._fresh, self._first_new = 0, False, 0
        self.thumbs: dict[str, np.ndarray] = {}  # by absolute path
        self.worker = Latest(jobs, self)
        self.worker.answered.connect(self._take)
        self.worker.failed.connect(self._failed)
        self.history.changed.connect(self._on_changed)

    def close(self) -> None:
        self.history.changed.disconnect(self._on_changed)
        self.worker.close()

    @property
    def table(self) -> Table:
        return self.history.state

    @property
    def found(self) -> Gathered:
        return self.table.found

    @property
    def chosen_set(self) -> FoundSet | None:
        number = self.chosen.set_number
        return self.found.sets[number] if 0 <= number < len(self.found.sets) else None

    @property
    def chosen_file(self) -> Path | None:
        """The picture in hand: of the chosen map, of the chosen set's base colour, or left over."""
        if 0 <= self.chosen.leftover < len(self.found.leftover):
            return self.path(self.found.leftover[self.chosen.leftover].file)
        found = self.chosen_set
        if found is None:
            return None
        if 0 <= self.chosen.map_number < len(found.maps):
            return self.path(found.maps[self.chosen.map_number].files[0])
        base = found.first("base_color") or (found.maps[0] if found.maps else None)
        return self.path(base.files[0]) if base is not None else None

    def path(self, file: str) -> Path:
        return self.table.folder / file

    # ---- reading ------------------------------------------------------------------------------

    def read(self, folder: Path) -> None:
        """Reads a folder in the place of what lies there."""
        self._read(folder, None)

    def add(self, paths: list[Path]) -> None:
        """Puts files and folders to what lies there; the first of their sets is chosen."""
        self._read(self.table.folder, paths)

    def _read(self, folder: Path, paths: list[Path] | None) -> None:
        rules, before = self.table.rules, self.table.found if paths is not None else Gathered()
        thumbs: dict[str, np.ndarray] = {}
        images = self.images

        def work(cancelled: Callable[[], bool]) -> Iterator[Any]:
            files = list_files(folder) if paths is None else all_files(paths)
            inner = look_through(images) if len(files) <= KEPT_OPEN else look_at
            found = Gathered()
            steps = gather(folder, rules, files=files, look=_with_thumbs(inner, thumbs))
            for step in steps:
                if cancelled():
                    steps.close()
                    return
                if isinstance(step, Progress):
                    yield step
                else:
                    found = step
                    yield Table(folder, _joined(before, step), rules)
            for left in [one for one in found.leftover if is_picture(one)][:MOST_LEFT]:
                with suppress(CollageError):
                    _with_thumbs(look_at, thumbs)(folder / left.file, "")
            yield dict(thumbs)
            yield Progress("", 1.0)

        self.progress.emit("Reading names", 0.0)
        self._reading += 1
        self._fresh, self._first_new = True, len(before.sets)
        self.worker.ask(work)

    def stop(self) -> None:
        """Calls the reading off; what was read so far stays."""
        self.worker.ask(lambda cancelled: iter((Progress("", 1.0),)))

    def _take(self, answer: Any) -> None:
        if isinstance(answer, Progress):
            self.progress.emit(answer.what, answer.share)
        elif isinstance(answer, Table):
            self.history.do("Gather", lambda _: answer, merge=f"gather {self._reading}")
            if self._fresh and answer.found.sets:
                self.choose(Chosen(min(self._first_new, len(answer.found.sets) - 1)))
            self._fresh = False
        else:
            self.thumbs.update(answer)
            self.changed.emit()

    def _failed(self, error: CollageError) -> None:
        self.progress.emit("", 1.0)
        self.problem.emit(error)

    def _on_changed(self, before: Table, after: Table) -> None:
        if before.rules != after.rules:
            try:
                save_rules(after.rules, self._rules_file)
            except CollageError as error:
                self.problem.emit(error)
        self.changed.emit()
        self.chosen_changed.emit()

    def choose(self, chosen: Chosen) -> None:
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()

    # ---- edits --------------------------------------------------------------------------------

    def _edit_set(self, label: str, number: int, change: Callable[[FoundSet], FoundSet], merge: str = "") -> None:
        self.history.do(label, lambda table: table.with_set(number, change(table.found.sets[number])), merge=merge)

    def set_role(self, number: int, at: int, role: Role) -> None:
        """Another role for a map; the word that told it apart is remembered as a rule of the person's own."""
        found = self.found.sets[number]
        one = found.maps[at]
        if role == one.role:
            return
        word = word_of(one.files[0], [file for every in found.maps for file in every.files[:1]])

        def on_table(table: Table) -> Table:
            rules = with_rule(table.rules, word, role) if word else table.rules
            changed = settled(table.found.sets[number].with_map(at, in_role(one, role)), at)
            return replace(table.with_set(number, changed), rules=rules)

        self.history.do(f"Role of {PurePosixPath(one.files[0]).name}", on_table)
        if word:
            self.hint.emit(f"“{word}” now means {ROLES[role].lower()}; undo forgets it.")

    def change_map(self, label: str, number: int, at: int, **changes: Any) -> None:
        """Other values for a map: colorspace, green, used."""
        one = self.found.sets[number].maps[at]
        self._edit_set(label, number, lambda found: settled(found.with_map(at, replace(one, **changes)), at))

    def change_set(self, label: str, number: int, *, merge: str = "", **changes: Any) -> None:
        """Other values for a set: name, metres, depth."""
        self._edit_set(label, number, lambda found: replace(found, **changes), merge)

    def turn_green(self, number: int, at: int) -> None:
        one = self.found.sets[number].maps[at]
        green: Green = "up" if one.green == "down" else "down"
        self.change_map("Flip the green channel", number, at, green=green)

    def move_map(self, number: int, at: int, target: int) -> None:
        """A map goes to another set; a set that has none left goes too."""
        one = self.found.sets[number].maps[at]
        target_set = self.found.sets[target]

        def on_table(table: Table) -> Table:
            sets = list(table.found.sets)
            kept = tuple(every for place, every in enumerate(sets[number].maps) if place != at)
            sets[target] = settled(replace(sets[target], maps=(*sets[target].maps, replace(one, used=True))), -1)
            sets[number] = replace(sets[number], maps=kept)
            return replace(table, found=replace(table.found, sets=tuple(each for each in sets if each.maps)))

        self.history.do(f"Move {PurePosixPath(one.files[0]).name}", on_table)
        names = [each.name for each in self.found.sets]
        self.choose(Chosen(names.index(target_set.name)))

    def take_leftover(self, leftover: int, number: int, role: Role) -> None:
        """A leftover picture becomes a map: of a set, or of a new one of its own where `number` is negative."""
        file = self.found.leftover[leftover].file
        made = in_role(FoundMap(role, (file,), 1.0, "added by hand"), role)

        def on_table(table: Table) -> Table:
            sets = list(table.found.sets)
            if number < 0:
                sets.append(FoundSet(PurePosixPath(file).stem, str(PurePosixPath(file).parent), (made,)))
            else:
                sets[number] = settled(replace(sets[number], maps=(*sets[number].maps, made)), -1)
            left = tuple(one for one in table.found.leftover if one.file != file)
            return replace(table, found=Gathered(tuple(sets), left))

        self.history.do(f"Add {PurePosixPath(file).name}", on_table)
        self.choose(Chosen(len(self.found.sets) - 1 if number < 0 else number))


def _joined(before: Gathered, new: Gathered) -> Gathered:
    """What lay there and what came, without files that were there already."""
    files = {file for found in new.sets for one in found.maps for file in one.files} | {
        one.file for one in new.leftover
    }
    sets = tuple(one for one in before.sets if not files & {file for every in one.maps for file in every.files})
    left = tuple(one for one in before.leftover if one.file not in files)
    return Gathered((*sets, *new.sets), (*left, *new.leftover))


def _with_thumbs(inner: LookAt, thumbs: dict[str, np.ndarray]) -> LookAt:
    """Looks at a picture and keeps a small one of it for the table."""

    def look(path: Path, space: str) -> Look:
        seen = inner(path, space)
        thumbs[str(path)] = thumb_of(seen)
        return seen

    return look


def thumb_of(seen: Look) -> np.ndarray:
    """(30, 40, 3) uint8: whole numbers as they are stored, floats as linear light."""
    if seen.floating:
        return small_picture(seen.small.astype(np.float32), THUMB)
    return small_picture((np.clip(seen.small, 0, 1) * 255 + 0.5).astype(np.uint8), THUMB)


def is_picture(left: Leftover) -> bool:
    return left.reason != "not an image" and not left.reason.startswith("unsupported format")
