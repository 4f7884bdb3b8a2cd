"""Where the demo project lies."""

from __future__ import annotations

from pathlib import Path

from collage import __version__

DEMO = "weathered-shed"
"""The sample that the demo opens."""


def demo_folder() -> Path:
    """Where the demo project lives: in the user's data folder, made when first asked for."""
    import platformdirs

    return Path(platformdirs.user_data_dir("collage")) / f"{DEMO}-{__version__}"
