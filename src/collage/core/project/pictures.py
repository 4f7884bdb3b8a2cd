"""Pictures of a project."""

from __future__ import annotations

from pathlib import Path

from collage.core.evaluate.plan import CardOutput
from collage.core.project.folder import material_folder
from collage.core.project.state import Project
from collage.core.render.request import PictureRequest, Quality


def picture_request(
    project: Project,
    width: int,
    height: int,
    quality: Quality = "draft",
    mode: str = "lit",
    peek: tuple[str, CardOutput] | None = None,
    folder: Path | None = None,
) -> PictureRequest:
    """A request for the picture of a project that lies in `folder`; see PictureRequest."""
    folder = folder or Path()
    return PictureRequest(
        project.bench.in_folder(folder),
        project.materials,
        width,
        height,
        quality,
        mode,
        peek,
        folder,
        material_folder(folder),
    )
