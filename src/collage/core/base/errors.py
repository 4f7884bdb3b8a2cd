"""The one kind of error that is meant for the person at the screen."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

LONGEST = 120  # letters of what an error is about


class CollageError(Exception):
    """A sentence for the user, what it is about, and what would help.

    message : one clear sentence.
    about : the file, card or input it is about, as a short text.
    remedy : what the user can do, as a sentence; may be empty.
    """

    def __init__(self, message: str, *, about: object = "", remedy: str = "") -> None:
        super().__init__(message)
        self.message = message
        about = str(about)
        self.about = about if len(about) <= LONGEST else f"{about[: LONGEST // 2]}…{about[-LONGEST // 2 :]}"
        self.remedy = remedy

    def __str__(self) -> str:
        where = f"{self.about}: " if self.about and self.about not in self.message else ""
        return f"{where}{self.message}" + (f" {self.remedy}" if self.remedy else "")


@contextmanager
def disk_errors(what: str, *, about: object = "", remedy: str = "") -> Iterator[None]:
    """Tells what could not be done where the disk or the system fails: an OSError inside becomes a CollageError.

    what : as "The project cannot be saved"; the system's reason is put behind it.
    """
    try:
        yield
    except OSError as error:
        raise CollageError(f"{what}: {error.strerror or error}.", about=about, remedy=remedy) from error
