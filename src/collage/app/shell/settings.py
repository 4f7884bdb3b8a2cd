"""The user's settings: one typed value, saved as JSON; a broken file is put aside and never in the way."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path
from typing import Any

import platformdirs
from pydantic import BaseModel, Field, ValidationError, model_validator

from collage.core.base.budget import ordinary_limit
from collage.core.base.safe_write import replacing
from collage.core.images.level_files import LevelFiles


class Settings(BaseModel):
    """What Collage remembers between starts."""

    version: int = 2
    theme: str = "day"
    recent: list[str] = []
    geometry: str = ""  # the window's place, as Qt's hex text
    splitters: dict[str, list[int]] = {}
    library_folders: list[str] = []
    favourites: list[str] = []
    large_preview: bool = False
    memory: int = Field(default_factory=lambda: ordinary_limit() >> 20)  # megabytes of all that is kept
    disk: int = Field(20, ge=0)  # gigabytes of maps ready for use; see level_files

    @model_validator(mode="before")
    @classmethod
    def _before_version_2(cls, found: Any) -> Any:
        """Version 1 named the memory for images alone; pictures took a third of what is for all now."""
        if isinstance(found, dict) and found.get("version", 1) == 1 and isinstance(found.get("image_memory"), int):
            return {**found, "version": 2, "memory": found["image_memory"] * 3 // 2}
        return found

    def with_recent(self, folder: Path) -> Settings:
        text = str(folder.resolve())
        return self.model_copy(update={"recent": [text, *(one for one in self.recent if one != text)][:10]})


def settings_path() -> Path:
    return Path(platformdirs.user_config_dir("collage")) / "settings.json"


def load_settings(path: Path | None = None) -> Settings:
    path = path or settings_path()
    try:
        return Settings.model_validate_json(path.read_bytes())
    except FileNotFoundError:
        return Settings()
    except (OSError, ValidationError, ValueError):
        with contextlib.suppress(OSError):
            os.replace(path, path.with_suffix(".broken.json"))
        return Settings()


def level_files(settings: Settings, settings_file: Path | None = None) -> LevelFiles | None:
    """Where maps lie ready for use: in the user's cache, or beside settings of one's own; None where none may."""
    own = settings_file.with_name("maps") if settings_file is not None else None
    folder = own or Path(platformdirs.user_cache_dir("collage")) / "maps"
    return LevelFiles(folder, settings.disk * 2**30) if settings.disk else None


def save_settings(settings: Settings, path: Path | None = None) -> None:
    """Keeps the settings; a folder that cannot be written to costs nothing but the memory of them."""
    path = path or settings_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with replacing(path) as temporary:
            temporary.write_text(settings.model_dump_json(indent=1), encoding="utf-8")
    except OSError:
        return
