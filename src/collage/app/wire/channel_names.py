"""Plain labels of the surface's inputs."""

from __future__ import annotations

from collage.core.nodes.labels import input_label
from collage.core.render.channels import BY_NAME, OTHER_LABELS


def channel_label(name: str, folder: str = "") -> str:
    """A plain label of a surface input; the group's own word is left out where the group is shown."""
    known = BY_NAME[name].label if name in BY_NAME else OTHER_LABELS.get(name, "")
    if known:
        return known
    text = input_label(name)
    if folder and text.lower().startswith(folder.lower() + " "):
        text = text[len(folder) + 1 :]
    return text[:1].upper() + text[1:]
