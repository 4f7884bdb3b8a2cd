"""The history: the one place where the document changes, and where changes are told and taken back."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Generic, TypeVar

from psygnal import Signal

State = TypeVar("State")


@dataclass(frozen=True)
class Step(Generic[State]):
    """One undoable command: its name, and the state before and after it."""

    label: str
    before: State
    after: State
    merge: str = ""


class History(Generic[State]):
    """Holds an immutable state, runs edits on it, and undoes and redoes them without limit.

    States share what an edit did not touch, so a long history costs little. Whoever shows the state
    listens to `changed`, which hands over the state before and the state after.
    """

    changed = Signal(object, object)  # before, after
    steps_changed = Signal()  # what can be undone or redone

    def __init__(self, state: State) -> None:
        self._state = state
        self._done: list[Step[State]] = []
        self._undone: list[Step[State]] = []
        self._group: tuple[str, State] | None = None

    @property
    def state(self) -> State:
        """The present state."""
        return self._state

    def do(self, label: str, edit: Callable[[State], State], *, merge: str = "") -> None:
        """Runs an edit as one step. Steps in a row with the same `merge` key become one.

        An edit that changes nothing leaves no step; one that raises leaves everything as it was.
        """
        before = self._state
        after = edit(before)
        if after is before or after == before:
            return
        if self._group is None:
            last = self._done[-1] if self._done else None
            if merge and last is not None and last.merge == merge and not self._undone:
                self._done[-1] = Step(label, last.before, after, merge)
            else:
                self._done.append(Step(label, before, after, merge))
            self._undone.clear()
        self._show(after)

    def close_merge(self) -> None:
        """Ends a run of merged steps: the next edit is a step of its own (a drag has ended)."""
        if self._done and self._done[-1].merge:
            last = self._done[-1]
            self._done[-1] = Step(last.label, last.before, last.after)

    @contextmanager
    def group(self, label: str) -> Iterator[None]:
        """Makes all edits inside one step. An exception inside takes them all back."""
        if self._group is not None:
            yield
            return
        self._group = (label, self._state)
        try:
            yield
        except BaseException:
            before = self._group[1]
            self._group = None
            self._show(before)
            raise
        before = self._group[1]
        self._group = None
        if self._state is not before:
            self._done.append(Step(label, before, self._state))
            self._undone.clear()
            self.steps_changed.emit()

    def undo(self) -> None:
        """Goes one step back; nothing happens at the first."""
        if self._done:
            step = self._done.pop()
            self._undone.append(step)
            self._show(step.before)

    def redo(self) -> None:
        """Goes one step forward again; nothing happens at the last."""
        if self._undone:
            step = self._undone.pop()
            self._done.append(step)
            self._show(step.after)

    def reset(self, state: State) -> None:
        """Starts over with another document; the old history is gone."""
        self._done.clear()
        self._undone.clear()
        self._show(state)

    @property
    def undo_label(self) -> str:
        """What `undo` would undo; empty for nothing."""
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        """What `redo` would do again; empty for nothing."""
        return self._undone[-1].label if self._undone else ""

    @property
    def labels(self) -> list[str]:
        """The names of all steps that can be undone, oldest first."""
        return [step.label for step in self._done]

    def _show(self, state: State) -> None:
        before, self._state = self._state, state
        if before is not state:
            self.changed.emit(before, state)
        self.steps_changed.emit()
