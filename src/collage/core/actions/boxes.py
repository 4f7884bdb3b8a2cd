"""What is done to boxes around cards and to notes; each act is one step of the history."""

from __future__ import annotations

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.document import frames
from collage.core.document.model import Network


@act("boxes.add", "Add a box around the cards", keys="Ctrl+Shift+F", command="cards box")
def add_box(session: Session, title: str = "Box") -> str:
    """A box around the chosen cards. Returns its name."""
    made: list[str] = []

    def change(network: Network) -> Network:
        after, name = frames.around(network, session.selection, title)
        made.append(name)
        return after

    if session.selection:
        session.edit("Add a box", change)
    return made[-1] if made else ""


@act("boxes.note", "Add a note", command="cards note")
def add_note(session: Session, place: tuple[float, float], text: str = "Note") -> str:
    """A note on the board. Returns its name."""
    name = session.network.free_name("note")
    note = frames.Frame(name, "", text, place[0], place[1], 1.4, 0.5)
    session.edit("Add a note", lambda network: frames.with_frame(network, note))
    return name


@act("boxes.change", "Edit the box", without="it is written and resized on the board")
def change_box(session: Session, label: str, frame: frames.Frame) -> None:
    """Changes a box or note."""
    session.edit(label, lambda network: frames.with_frame(network, frame))


@act("boxes.remove", "Remove the box", command="cards remove-box")
def remove_box(session: Session, name: str) -> None:
    """Removes a box or note."""
    session.edit("Remove a box", lambda network: frames.without_frame(network, name))
