"""The window's work on threads. Answers always come back on the window's own thread.

There are two kinds. A *latest* job takes wishes of which only the newest counts: a newer one replaces the one that
waits, but what an answer was begun for is finished and shown, so that a moving hand always sees pictures. A *queued*
job has a ticket with progress, result and cancel, and none is ever lost.
"""

from __future__ import annotations

import threading
import time
import traceback
from collections import deque
from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QObject, Signal

from collage.core.base.errors import CollageError
from collage.core.base.memory import give_back_memory
from collage.core.base.progress import Progress, Steps, remaining
from collage.core.evaluate.run import Cancelled

Overtaken = Callable[[], bool]
Work = Callable[[Overtaken], Iterable[Any]]
"""Yields answers, each of which is handed over. Asks `overtaken` where it may be given up, and where it need not be
finished for a moving hand."""

Make = Callable[[Overtaken], Steps[Any]]
"""Makes the steps of queued work; they end early where `cancelled` says so."""

THREADS = 4  # a window's; one of them is kept free for what the hand waits for
SOON = 0.05  # seconds until it is looked again whether all threads rest
MOVING = 0.25  # seconds after an urgent wish until a hand rests
REST = 3.0  # seconds without any work after which freed memory goes back to the system
CLOSING = 1.0  # seconds that a window waits for its threads to end


class Jobs(QObject):
    """A window's threads, and all that runs on them."""

    queue_changed = Signal()
    _posted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.tickets: list[Ticket] = []  # waiting or running
        self.closing = False
        self._changed = threading.Condition()
        self._urgent: deque[Callable[[], None]] = deque()
        self._others: deque[Callable[[], None]] = deque()
        self._behind: deque[Callable[[], None]] = deque()
        self._light: deque[Callable[[], None]] = deque()
        self._others_running = self._behind_running = 0
        self._hurried = -MOVING  # when the hand last moved
        self.slow = False  # whether what it waits for takes so long that what stands back waits until it rests
        self._waiting = 0
        self._worked: float | None = None  # when work was last begun or ended; None once memory was given back
        self._threads: list[threading.Thread] = []
        self._lanes: dict[str, deque[Ticket]] = {}
        self._posted.connect(self._run_posted)

    # ---- threads ------------------------------------------------------------------------------

    def submit(
        self, work: Callable[[], None], *, urgent: bool = False, light: bool = False, behind: bool = False
    ) -> None:
        """Runs something on a thread. urgent : never waits for work that is not. light : a look now and then that
        makes nothing, during which the window is at rest all the same. behind : stands back while a hand moves."""
        with self._changed:
            if self.closing:
                return
            lane = self._light if light else self._urgent if urgent else self._behind if behind else self._others
            lane.append(work)
            if not self._waiting and len(self._threads) < THREADS:
                thread = threading.Thread(target=self._loop, name=f"collage {len(self._threads)}", daemon=True)
                self._threads.append(thread)
                thread.start()
            self._changed.notify()

    def hurry(self) -> None:
        """A hand moves: until it rests, work that stands back is done one piece after the other, or, where `slow`, not
        at all."""
        self._hurried = time.monotonic()

    @property
    def hand_moves(self) -> bool:
        """Whether a hand has moved just now."""
        return time.monotonic() < self._hurried + MOVING

    def _loop(self) -> None:
        while True:
            with self._changed:
                while not (found := self._take()) and not self.closing:
                    self._waiting += 1
                    until = self._until_rest()
                    self._changed.wait(None if until is None else max(until, SOON))
                    self._waiting -= 1
                    if self._until_rest() == 0 and self._waiting + 1 == len(self._threads):
                        self._worked, found = None, (give_back_memory, "light")
                        break
                if not found:
                    return
            work, kind = found
            try:
                work()
            finally:
                del work, found
                with self._changed:
                    if kind != "light":
                        self._worked = time.monotonic()
                    if kind in ("other", "behind"):
                        self._others_running -= 1
                        self._behind_running -= kind == "behind"
                        self._changed.notify()

    def _take(self) -> tuple[Callable[[], None], str] | None:
        """The next work, and whether it is "urgent", "other", "behind" or "light"; called under the lock."""
        if self.closing:
            return None
        if self._urgent or self._others or self._behind:
            self._worked = time.monotonic()
        if self._urgent:
            return self._urgent.popleft(), "urgent"
        if self._others and self._others_running < THREADS - 1:
            self._others_running += 1
            return self._others.popleft(), "other"
        most = THREADS - 1 if not self.hand_moves else 0 if self.slow else 1
        if self._behind and self._others_running < THREADS - 1 and self._behind_running < most:
            self._others_running += 1
            self._behind_running += 1
            return self._behind.popleft(), "behind"
        return (self._light.popleft(), "light") if self._light else None

    def _until_rest(self) -> float | None:
        """Seconds until nothing has been worked for long enough; None where nothing was since memory was given back."""
        if self._behind and self.hand_moves:
            return SOON
        return None if self._worked is None else max(self._worked + REST - time.monotonic(), 0.0)

    def post(self, work: Callable[[], object]) -> None:
        """Runs something on the window's thread, soon."""
        if not self.closing:
            try:
                self._posted.emit(work)
            except RuntimeError:  # the window is gone
                self.closing = True

    def _run_posted(self, work: Callable[[], object]) -> None:
        if not self.closing:
            work()

    def close(self) -> None:
        """Calls off all work and waits a moment for the threads; what does not end by then ends with the program."""
        with self._changed:
            self.closing = True
            self._urgent.clear()
            self._others.clear()
            self._behind.clear()
            self._light.clear()
            for ticket in self.tickets:
                ticket.cancel()
            self._changed.notify_all()
        end = time.monotonic() + CLOSING
        for thread in self._threads:
            thread.join(timeout=max(end - time.monotonic(), 0.0))
        self.tickets.clear()
        self._lanes.clear()

    # ---- queued work --------------------------------------------------------------------------

    def queue(
        self,
        title: str,
        make: Make,
        then: Callable[[Any], object] | None = None,
        failed: Callable[[CollageError], object] | None = None,
        *,
        lane: str = "files",
    ) -> Ticket:
        """Queues work behind the other work of its lane. then : takes its result; failed : its error."""
        ticket = Ticket(self, title, make, then, failed, lane)
        self.tickets.append(ticket)
        lane_of = self._lanes.setdefault(lane, deque())
        lane_of.append(ticket)
        if len(lane_of) == 1:
            self.submit(ticket.run)
        self.queue_changed.emit()
        return ticket

    def ended(self, ticket: Ticket) -> None:
        """The ticket is done with, one way or another; the next of its lane begins."""
        if ticket in self.tickets:
            self.tickets.remove(ticket)
        lane = self._lanes.get(ticket.lane, deque())
        if lane and lane[0] is ticket:
            lane.popleft()
            if lane:
                self.submit(lane[0].run)
        elif ticket in lane:
            lane.remove(ticket)
        self.queue_changed.emit()

    @property
    def at_rest(self) -> bool:
        """Whether nothing has been worked since freed memory was given back."""
        with self._changed:
            return self._worked is None

    @property
    def idle(self) -> bool:
        """Whether no queued work is left."""
        return not self.tickets


class Latest(QObject):
    """Work of which only the newest wish counts."""

    answered = Signal(object)
    failed = Signal(object)  # CollageError
    busy = Signal(bool)

    def __init__(
        self, jobs: Jobs, parent: QObject | None = None, *, urgent: bool = False, light: bool = False,
        behind: bool = False,
    ) -> None:  # fmt: skip
        """urgent, light, behind : see Jobs.submit."""
        super().__init__(parent)
        self._jobs, self._urgent, self._light, self._behind = jobs, urgent, light, behind
        self._lock = threading.Lock()
        self._wish: Work | None = None
        self._running = False
        self._undelivered = 0
        self._closed = False

    def ask(self, work: Work) -> None:
        """Wishes for some work, in place of what was wished for before and has not begun."""
        if self._urgent:
            self._jobs.hurry()
        with self._lock:
            self._wish = work
            if self._running or self._closed:
                return
            self._running = True
        self.busy.emit(True)
        self._jobs.submit(self._run, urgent=self._urgent, light=self._light, behind=self._behind)

    @property
    def idle(self) -> bool:
        """Whether nothing is wished for or under way, and all answers have been handed over."""
        with self._lock:
            return self._closed or (self._wish is None and not self._running and not self._undelivered)

    def close(self) -> None:
        """Wants no more answers."""
        with self._lock:
            self._closed, self._wish = True, None

    def _overtaken(self) -> bool:
        return self._wish is not None or self._closed or self._jobs.closing

    def _run(self) -> None:
        while True:
            with self._lock:
                work, self._wish = self._wish, None
                if work is None or self._closed or self._jobs.closing:
                    self._running = False
                    break
            self._do(work)
            del work  # it may know much that is not needed any more
        self._hand_over(self.busy, False)

    def _do(self, work: Work) -> None:
        try:
            for answer in work(self._overtaken):
                self._hand_over(self.answered, answer)
        except Cancelled:
            return
        except CollageError as error:
            self._hand_over(self.failed, error)
        except Exception as error:  # a defect must not end the thread: it is told and the window lives on
            self._hand_over(self.failed, defect(error))

    def _hand_over(self, signal: Any, value: object) -> None:
        with self._lock:
            self._undelivered += 1
        self._jobs.post(lambda: self._deliver(signal, value))

    def _deliver(self, signal: Any, value: object) -> None:
        with self._lock:
            self._undelivered -= 1
            closed = self._closed
        if not closed:
            signal.emit(value)


class Ticket:
    """One piece of queued work."""

    def __init__(
        self,
        jobs: Jobs,
        title: str,
        make: Make,
        then: Callable[[Any], object] | None,
        failed: Callable[[CollageError], object] | None,
        lane: str,
    ) -> None:
        self.title, self.lane = title, lane
        self.progress = Progress("", 0.0)
        self.cancelled = False
        self._jobs, self._make, self._then, self._failed = jobs, make, then, failed
        self._begin = 0.0

    @property
    def text(self) -> str:
        """What it does, how far it is and how long it will still take, in a few words."""
        words = [self.progress.what or self.title]
        if self._begin:
            words.append(f"{self.progress.share:.0%}")
            left = remaining(time.monotonic() - self._begin, self.progress.share)
            if left:
                words.append(left)
        return " · ".join(words)

    def cancel(self) -> None:
        """Calls it off: before it begins, or at its next step."""
        self.cancelled = True

    def run(self) -> None:
        """Called on a thread."""
        self._begin = time.monotonic()
        try:
            result = self._result()
        except Cancelled:
            self._end(lambda: None)
        except CollageError as error:
            self._end(lambda error=error: self._tell(error))  # type: ignore[misc]
        except Exception as error:  # as for the latest kind
            told = defect(error)
            self._end(lambda: self._tell(told))
        else:
            self._end(lambda: self._then(result) if self._then is not None else None)

    def _result(self) -> Any:
        if self.cancelled:
            raise Cancelled
        steps = self._make(lambda: self.cancelled)
        while True:
            try:
                self.progress = next(steps)
            except StopIteration as done:
                return done.value
            self._jobs.post(self._jobs.queue_changed.emit)
            if self.cancelled:
                steps.close()
                raise Cancelled

    def _tell(self, error: CollageError) -> None:
        if self._failed is not None:
            self._failed(error)

    def _end(self, last: Callable[[], object]) -> None:
        def end() -> None:
            self._jobs.ended(self)
            last()

        self._jobs.post(end)


def defect(error: Exception) -> CollageError:
    """A sentence for a defect of Collage itself; its details go to standard error."""
    traceback.print_exception(error)
    text = f"Something went wrong inside Collage: {error}."
    return CollageError(text, remedy="Your work is safe; undo the last step.")
