"""The renders that wait and run in the background: they can be held and go on, and are there after a crash."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path
from weakref import ref

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget
from shiboken6 import isValid

from collage.app.shell.jobs import Jobs, Ticket
from collage.app.widgets.panels import Elided, empty
from collage.app.widgets.progress_line import ProgressLine
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.project import render_queue as orders
from collage.core.project.render_queue import Order
from collage.core.project.state import Project
from collage.core.render.renderer import Renderer

SOON = 4000  # milliseconds after the start until renders of before go on


def _take_up(queue: ref[RenderQueue]) -> None:
    """Lets a queue that is still there go on with what a crash has left."""
    found = queue()
    if found is not None and isValid(found):
        found.take_up()


class RenderQueue(QObject):
    """A window's renders, one after the other."""

    changed = Signal()  # there is one more or less, or one is held
    moved = Signal()  # one is further on
    finished = Signal(object, object)  # the place of a render and its Order, once all is written

    def __init__(self, renderer: Renderer, jobs: Jobs, parent: QObject, root: Path | None = None) -> None:
        super().__init__(parent)
        self.renderer, self.jobs, self.root = renderer, jobs, root
        self.places: list[Path] = []
        self._orders: dict[Path, Order] = {}
        self._tickets: dict[Path, Ticket] = {}
        jobs.queue_changed.connect(self.moved)
        QTimer.singleShot(SOON, partial(_take_up, ref(self)))  # the window may be gone by then

    def take_up(self) -> None:
        """Goes on with what a crash has left."""
        if self.jobs.closing:
            return
        for place in orders.left(self.root):
            self._enter(place)

    def add(self, project: Project, order: Order) -> Path:
        """Renders a project as it is now, behind the others. Raises CollageError."""
        place = orders.add(project, order, self.root)
        self._enter(place)
        return place

    def order(self, place: Path) -> Order:
        return self._orders[place]

    def share(self, place: Path) -> float:
        """How much of a render is done, 0 to 1."""
        ticket, order = self._tickets.get(place), self._orders[place]
        begun = order.done / max(order.frames, 1)
        return max(ticket.progress.share, begun) if ticket is not None else begun

    def words(self, place: Path) -> str:
        """How a render stands."""
        ticket, order = self._tickets.get(place), self._orders[place]
        if order.said:
            return order.said
        if ticket is None:
            return "Paused"
        return ticket.text if ticket.progress.what else "Waiting"

    def pause(self, place: Path) -> None:
        """Holds a render where it is."""
        ticket = self._tickets.pop(place, None)
        if ticket is not None:
            ticket.cancel()
        self._put(place, paused=True)

    def resume(self, place: Path) -> None:
        """Lets a render go on."""
        if place not in self._tickets:
            self._put(place, paused=False, said="")
            self._begin(place)

    def remove(self, place: Path) -> None:
        """Calls a render off; pictures that are done stay."""
        ticket = self._tickets.pop(place, None)
        if ticket is not None:
            ticket.cancel()
        self.places.remove(place)
        self._orders.pop(place)
        orders.forget(place)
        self.changed.emit()

    def _enter(self, place: Path) -> None:
        order = orders.read(place)
        if order is None:
            return
        self.places.append(place)
        self._orders[place] = order
        if not order.paused:
            self._begin(place)
        self.changed.emit()

    def _begin(self, place: Path) -> None:
        def make(cancelled: Callable[[], bool]) -> Steps[Order]:
            # a render that is held goes on until its next step, and is kept there
            return orders.rendering(self.renderer, place, lambda: self.jobs.closing or not place.exists())

        self._tickets[place] = self.jobs.queue(
            f"Rendering {self._orders[place].name}", make, partial(self._done, place), partial(self._failed, place),
            lane="render",
        )  # fmt: skip

    def _done(self, place: Path, order: Order) -> None:
        self._tickets.pop(place, None)
        if place in self._orders:
            self.places.remove(place)
            self._orders.pop(place)
            self.changed.emit()
            self.finished.emit(place, order)

    def _failed(self, place: Path, error: CollageError) -> None:
        """What is in its way, as a full disk, holds it with a sentence; it is let go on once that is mended."""
        self._tickets.pop(place, None)
        if place in self._orders:
            self._put(place, paused=True, said=str(error))

    def _put(self, place: Path, **changed: object) -> None:
        order = orders.read(place) or self._orders[place]  # how many frames are done is told there
        self._orders[place] = order.model_copy(update=changed)
        with suppress(CollageError):  # it is held all the same, as long as the window is open
            orders.write(place, self._orders[place])
        self.changed.emit()


class QueueList(QWidget):
    """The renders of a window in their order, each with its progress, pause and cancel."""

    def __init__(self, queue: RenderQueue) -> None:
        super().__init__()
        self.queue = queue
        self.rows: dict[Path, tuple[Elided, ProgressLine, QPushButton]] = {}
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 6, 0, 0)
        self.grid.setColumnStretch(0, 1)
        queue.changed.connect(self._build)
        queue.moved.connect(self._show)
        self._build()

    def close_down(self) -> None:
        self.queue.changed.disconnect(self._build)
        self.queue.moved.disconnect(self._show)

    def _build(self) -> None:
        empty(self.grid)
        self.rows = {}
        for number, place in enumerate(self.queue.places):
            order = self.queue.order(place)
            label, line, hold = Elided(), ProgressLine(), QPushButton("Resume" if order.paused else "Pause")
            hold.setToolTip("Go on from where it is" if order.paused else "Stop here, and go on later")
            hold.clicked.connect(partial(self.queue.resume if order.paused else self.queue.pause, place))
            drop = QPushButton("Cancel")
            drop.setToolTip("Take this render off the list")
            drop.clicked.connect(partial(self.queue.remove, place))
            self.grid.addWidget(label, 2 * number, 0)
            self.grid.addWidget(hold, 2 * number, 1)
            self.grid.addWidget(drop, 2 * number, 2)
            self.grid.addWidget(line, 2 * number + 1, 0, 1, 3)
            self.rows[place] = label, line, hold
        self.setVisible(bool(self.rows))
        self._show()

    def _show(self) -> None:
        for place, (label, line, _) in self.rows.items():
            if place in self.queue.places:
                order = self.queue.order(place)
                label.setText(f"{order.name} · {order.width}×{order.height} · {self.queue.words(place)}")
                line.set_share(self.queue.share(place))
