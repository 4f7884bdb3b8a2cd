"""Finds all acts by walking this package."""

from __future__ import annotations

import importlib
import pkgutil

from collage.core import actions as package
from collage.core.actions.registry import Action
from collage.core.actions.session import Session


def load_actions() -> dict[str, Action]:
    """All acts by name."""
    found: dict[str, Action] = {}
    modules = [
        importlib.import_module(f"{package.__name__}.{one.name}") for one in pkgutil.iter_modules(package.__path__)
    ]
    for holder in (*modules, Session):
        for value in vars(holder).values():
            action = getattr(value, "__action__", None)
            if isinstance(action, Action) and found.setdefault(action.name, action) is not action:
                raise ValueError(
                    f"Two acts are called {action.name}: {action.function} and {found[action.name].function}"
                )
    return found
