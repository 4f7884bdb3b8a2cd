"""What is baked, from what onto what, and how: all that a bake depends on, as it is stored in its record."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from collage.core.base.frozen import Frozen

BakedMap = Literal["normal", "height", "occlusion", "curvature", "position", "part"]
MAPS: dict[BakedMap, str] = {
    "normal": "Normal", "height": "Height", "occlusion": "Ambient occlusion", "curvature": "Curvature",
    "position": "Position", "part": "Part ids",
}  # fmt: skip
"""Every map that can be baked with the label that the window shows."""

SUFFIX_OF: dict[BakedMap, str] = {
    "normal": "normal", "height": "height", "occlusion": "ao", "curvature": "curvature", "position": "position",
    "part": "id",
}  # fmt: skip
"""What the name of each map's file ends in."""

Form = Literal["png8", "png16", "exr"]
MOST_SIDE = 8192  # texels of a tile


class Bake(Frozen):
    """How maps are baked.

    target : name of the object that they are for. source : of the object that they show; empty for the target's own
    displacement and bump. as_placed : whether the source stays where it stands; else it is put where the target stands.
    uv_set : of the target; the first if empty. size : texels a side of a tile. across : samples a texel, in each way.
    outward, inward : metres from the target's surface up to which the source is looked for; None to find it out.
    even : whether rays go the same way on both sides of a hard edge. padding : texels around islands. space : of the
    normals. rays : a texel sends for occlusion; reach : metres that they go, None as far as the object is large.
    width : metres, the radius of a bulge that is white in a curvature map, and of a hollow that is black; None for one
    that nearly all of the source is flatter than.
    """

    target: str
    source: str = ""
    as_placed: bool = False
    maps: tuple[BakedMap, ...] = Field(("normal",), min_length=1)
    uv_set: str = ""
    size: int = Field(1024, ge=16, le=MOST_SIDE)
    across: int = Field(2, ge=1, le=4)
    outward: float | None = Field(None, ge=0, le=1e3)
    inward: float | None = Field(None, ge=0, le=1e3)
    even: bool = True
    padding: int = Field(16, ge=0, le=512)
    space: Literal["tangent", "object"] = "tangent"
    rays: int = Field(128, ge=1, le=4096)
    reach: float | None = Field(None, gt=0)
    width: float | None = Field(None, gt=0)
    form: Form = "png16"
