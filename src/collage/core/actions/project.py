"""What is done to the project as a whole, besides opening and saving it."""

from __future__ import annotations

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.project.fresh import ball_project, empty_project


@act("project.new", "New material on a ball", keys="Ctrl+N", command="new")
def new_on_ball(session: Session) -> None:
    """Begins a project: a plain material on a ball under light."""
    session.put(ball_project(), None)


@act("project.close", "Close project", keys="Ctrl+W", without="no command holds a project open")
def close_project(session: Session) -> None:
    """Goes back to the start page."""
    session.put(empty_project(), None)
