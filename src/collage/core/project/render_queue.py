"""Renders to be done, on disk: each with the project as it was, so that work goes on meanwhile and a crash loses none.

A traced picture is kept there now and then as far as it is exposed, and goes on from there.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import time
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import cast

import platformdirs

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.frozen import Frozen
from collage.core.base.progress import Progress, Steps, within
from collage.core.base.safe_write import is_running, write_bytes
from collage.core.project.folder import load_project, save_project
from collage.core.project.pictures import frames_of, picture_request
from collage.core.project.state import Project
from collage.core.render.files import write_picture
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest, Quality, Region
from collage.core.render.traced_pictures import Kept, traced_steps
from collage.core.render.tracing import Tracing

ORDER, PROJECT, EXPOSED = "order.json", "project", "exposed.npz"


class Order(Frozen):
    """A picture to be rendered to a file, or a row of frames.

    folder : where the project's files are. frames : how many go once round, 0 for one picture; done : how many are
    there. light : whether light goes round, or the camera. said : why it waits.
    """

    out: str
    folder: str
    width: int
    height: int
    quality: str = "final"
    mode: str = "lit"
    tracing: Tracing = Tracing()
    layers: bool = False
    region: Region | None = None
    bits: int = 0
    frames: int = 0
    light: bool = False
    done: int = 0
    paused: bool = False
    said: str = ""

    @property
    def name(self) -> str:
        """The name of the file that it is for."""
        return Path(self.out).name


def default_root() -> Path:
    """Where renders wait unless a window is told otherwise."""
    return Path(platformdirs.user_state_dir("collage")) / "renders"


def add(project: Project, order: Order, root: Path | None = None) -> Path:
    """Puts a render on disk with the project as it is now; returns its folder. Raises CollageError."""
    place = (root or default_root()) / f"{os.getpid()}-{time.time_ns():020d}-{uuid.uuid4().hex[:6]}"
    with _on_disk(order):
        place.mkdir(parents=True)
    save_project(project, place / PROJECT, keep_copy=False)
    write(place, order)
    return place


def write(place: Path, order: Order) -> None:
    """Keeps how a render stands. Raises CollageError."""
    with _on_disk(order):
        write_bytes(place / ORDER, order.model_dump_json().encode())


def _on_disk(order: Order) -> contextlib.AbstractContextManager[None]:
    return disk_errors("The render cannot be kept", about=order.name, remedy="Free some space.")


def read(place: Path) -> Order | None:
    """How a render stands; None where that cannot be read."""
    try:
        return Order.model_validate(json.loads((place / ORDER).read_bytes()))
    except (OSError, ValueError):
        return None


def waiting(root: Path | None = None) -> list[Path]:
    """All renders on disk that can be read, in their order, whoever is at them."""
    return [place for place in _places(root) if read(place) is not None]


def _places(root: Path | None) -> list[Path]:
    """The folders of all renders, in the order in which they were asked for."""
    return sorted((root or default_root()).glob("*-*-*"), key=lambda one: one.name.partition("-")[2])


def own(root: Path | None = None) -> list[Path]:
    """Those that this process is at."""
    return [place for place in waiting(root) if place.name.startswith(f"{os.getpid()}-")]


def left(root: Path | None = None) -> list[Path]:
    """Renders of processes that are gone, which this one takes over, in their order; what cannot be read goes."""
    found = []
    for place in _places(root):
        process, _, rest = place.name.partition("-")
        if not process.isdigit() or is_running(int(process)):
            continue
        if read(place) is None:
            forget(place)
            continue
        with contextlib.suppress(OSError):  # another window was faster
            found.append(place.rename(place.with_name(f"{os.getpid()}-{rest}")))
    return found


def forget(place: Path) -> None:
    """Takes a render off the disk; pictures that are done stay."""
    shutil.rmtree(place, ignore_errors=True)


def rendering(renderer: Renderer, place: Path, cancelled: Callable[[], bool]) -> Steps[Order]:
    """Renders what is left of an order, as steps; once all is there it is off the disk.

    Closed between two steps it goes on from there another time. Raises CollageError where something is in the way, as
    a full disk: then nothing is lost either. Raises Cancelled.
    """
    order = read(place)
    if order is None:
        raise CollageError("The render cannot be read.", about=place.name, remedy="Render it again.")
    project, problems = load_project(place / PROJECT)
    for problem in problems:
        raise problem
    folder = Path(order.folder)
    request = picture_request(
        project,
        order.width,
        order.height,
        cast(Quality, order.quality),
        order.mode,
        None,
        folder,
        order.tracing,
        order.region,
    )
    count = max(order.frames, 1)
    for number, (file, one) in enumerate(frames_of(request, Path(order.out), order.frames, light=order.light)):
        if number < order.done:
            continue
        picture = yield from within(_picture(renderer, one, place, cancelled), number / count, (number + 1) / count)
        write_picture(one, picture, file, layers=order.layers, bits=order.bits)
        (place / EXPOSED).unlink(missing_ok=True)
        order = (read(place) or order).model_copy(update={"done": number + 1})  # it may be held meanwhile
        write(place, order)
        yield Progress(f"Rendering {order.name}", (number + 1) / count)
    forget(place)
    return order


def _picture(renderer: Renderer, request: PictureRequest, place: Path, cancelled: Callable[[], bool]) -> Steps[Picture]:
    if request.traced:
        return (yield from traced_steps(renderer, request, cancelled, Kept(place / EXPOSED)))
    return (yield from renderer.steps(request, cancelled=cancelled))
