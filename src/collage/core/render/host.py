"""What a picture in the making needs of the renderer that makes it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from collage.core.document.model import Network
from collage.core.evaluate.literals import Loud
from collage.core.evaluate.run import ResultCache, Workers
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library
from collage.core.render.caches import RenderCaches
from collage.core.render.lighting import View
from collage.core.render.relief import ReliefMaker, Reliefs
from collage.core.render.request import PictureRequest
from collage.core.render.surface import Surface


class Host(Protocol):
    """See Renderer."""

    library: Library
    images: ImageStore
    workers: Workers
    caches: RenderCaches
    reliefs: ReliefMaker

    @property
    def cache(self) -> ResultCache: ...

    @property
    def by_one_thread(self) -> Host: ...

    def view(
        self, request: PictureRequest, reliefs: Reliefs, shift: tuple[float, float], cancelled: Callable[[], bool]
    ) -> View: ...

    def surface(self, name: str, network: Network, folder: Any, loud: Loud, until: float | None = None) -> Surface: ...
