"""The shelf: groups that a person keeps for other materials and projects, each a MaterialX document of its own."""

from __future__ import annotations

import re
from pathlib import Path

import platformdirs

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.safe_write import replacing
from collage.core.document.clipboard import copied, pasted
from collage.core.document.model import Network


def default_folder() -> Path:
    """Where kept groups lie unless another folder is given."""
    return Path(platformdirs.user_data_dir("collage")) / "groups"


class Shelf:
    """A folder of kept groups."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or default_folder()

    def names(self) -> list[str]:
        """The names of all kept groups, in order."""
        return sorted((path.stem for path in self.folder.glob("*.mtlx")), key=str.lower)

    def keep(self, network: Network, card: str, name: str = "") -> str:
        """Keeps a group of a network under its title or another name. Returns the name.

        Raises CollageError for a card that is no group, or where the folder cannot be written.
        """
        group = network.cards.get(card)
        if group is None or group.network is None:
            raise CollageError("Only a group can be saved.", about=card, remedy="Group the cards first.")
        name = re.sub(r"[^\w \-]+", "", name or group.title or card).strip() or "Group"
        with disk_errors("The group could not be kept", about=name, remedy="Free some space, or its folder."):
            self.folder.mkdir(parents=True, exist_ok=True)
            with replacing(self._path(name)) as temporary:
                temporary.write_text(copied(network, [card]), encoding="utf-8")
        return name

    def put(self, network: Network, name: str, place: tuple[float, float]) -> tuple[Network, list[str]]:
        """Puts a kept group into a network. Returns the new cards' names. Raises CollageError if it is gone."""
        try:
            text = self._path(name).read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise CollageError("The saved group cannot be read.", about=name, remedy="Save it again.") from error
        return pasted(network, text, place)

    def drop(self, name: str) -> None:
        """Takes a group off the shelf."""
        self._path(name).unlink(missing_ok=True)

    def _path(self, name: str) -> Path:
        if Path(name).name != name:
            raise CollageError("A name holds no slashes.", about=name)
        return self.folder / f"{name}.mtlx"
