"""The person's own naming rules: words and the roles that they stand for, learned from corrections."""

from __future__ import annotations

import json
from collections import Counter
from pathlib import Path, PurePosixPath

import platformdirs

from collage.core.base.errors import disk_errors
from collage.core.base.safe_write import replacing
from collage.core.base.text import cleaned
from collage.core.gather.names import read_name, tokens
from collage.core.gather.sets import Rules
from collage.core.gather.words import ROLES, Role


def default_file() -> Path:
    """Where a person's own naming rules lie."""
    return Path(platformdirs.user_config_dir("collage")) / "names.json"


def load_rules(path: Path | None = None) -> Rules:
    """The rules on disk; none where there is no file or it is broken."""
    try:
        stored = json.loads((path or default_file()).read_text(encoding="utf-8"))
        return tuple((str(word), role) for word, role in stored.items() if role in ROLES)
    except (OSError, ValueError, AttributeError):
        return ()


def save_rules(rules: Rules, path: Path | None = None) -> None:
    """Raises CollageError where the file cannot be written."""
    path = path or default_file()
    with disk_errors("Your naming rules cannot be saved", about=path.name, remedy="Free some space."):
        path.parent.mkdir(parents=True, exist_ok=True)
        with replacing(path) as temporary:
            temporary.write_text(
                json.dumps({cleaned(word): role for word, role in rules}, ensure_ascii=False, indent=1),
                encoding="utf-8",
            )


def with_rule(rules: Rules, word: str, role: Role) -> Rules:
    """The rules with a word for a role added, or in the place of what the word meant."""
    return (*(one for one in rules if one[0] != word), (word, role))


def word_of(file: str, siblings: list[str]) -> str:
    """The word of a file name that tells its map apart from the others of its set; empty if there is none.

    It is the last word that the siblings do not share and that is neither number nor size.
    """
    own = tokens(PurePosixPath(file).stem)
    shared = Counter(text for other in siblings if other != file for text in _words(other))
    details = set(read_name(file)[-1].details)
    for one in reversed(own):
        if not one.text.isdigit() and one.text not in shared and one.text not in details:
            return one.text
    return ""


def _words(file: str) -> set[str]:
    return {one.text for one in tokens(PurePosixPath(file).stem)}
