"""Pictures of a project."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import replace
from pathlib import Path

from collage.core.document.making import given
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.document.relief import without_relief
from collage.core.evaluate.plan import CardOutput
from collage.core.project import looks
from collage.core.project.folder import material_folder
from collage.core.project.looks import looked_at, showing_colour
from collage.core.project.state import Project
from collage.core.render.request import PictureRequest, Quality, Region
from collage.core.render.tracing import USUAL, Tracing
from collage.core.scene.bench import Bench, BenchObject
from collage.core.scene.geometry import UvSet


def picture_request(
    project: Project,
    width: int,
    height: int,
    quality: Quality = "draft",
    mode: str = "lit",
    peek: tuple[str, CardOutput] | None = None,
    folder: Path | None = None,
    tracing: Tracing = USUAL,
    region: Region | None = None,
) -> PictureRequest:
    """A request for the picture of a project that lies in `folder`; see PictureRequest."""
    folder = folder or Path()
    request = PictureRequest(
        project.bench.in_folder(folder), project.materials, width, height, quality, mode, peek, tracing, region,
        folder=folder, material_folder=material_folder(folder),
    )  # fmt: skip
    return looked_at(request, mode)


def without_reliefs(request: PictureRequest, kinds: Collection[str]) -> PictureRequest:
    """The same picture without some kinds of relief, see `relief.KINDS`. Raises CollageError for an unknown one."""
    if not kinds:
        return request
    return replace(request, materials={name: without_relief(one, kinds) for name, one in request.materials.items()})


BESIDE, LOW = 100.0, 12.0  # degrees from the camera's side, and above the horizon


def in_grazing_light(request: PictureRequest, turn: float = BESIDE, height: float = LOW) -> PictureRequest:
    """The same picture in one low light. turn : from the camera, height : above the horizon, degrees."""
    return replace(request, bench=request.bench.in_grazing_light(request.bench.camera.turn + turn, height))


def turned(request: PictureRequest, share: float, *, light: bool = False) -> PictureRequest:
    """The same picture some share of a whole turn further round: of the camera, or of all light about the bench."""
    degrees, bench = 360.0 * share, request.bench
    if not light:
        camera = bench.camera.model_copy(update={"turn": bench.camera.turn + degrees})
        return replace(request, bench=bench.model_copy(update={"camera": camera}))
    lights = tuple(one.model_copy(update={"turn": one.turn + degrees}) for one in bench.lights)
    around = bench.environment.model_copy(update={"turn": bench.environment.turn - degrees})  # to the same side
    return replace(request, bench=bench.model_copy(update={"lights": lights, "environment": around}))


def frame_file(path: Path, number: int) -> Path:
    """The file of a frame, by its number from 1, beside the file that was asked for."""
    return path.with_name(f"{path.stem}.{number:04d}{path.suffix}")


def frames_of(
    request: PictureRequest, out: Path, count: int, *, light: bool = False
) -> Iterator[tuple[Path, PictureRequest]]:
    """One picture and its file, or those of `count` frames that go once round. light : see `turned`."""
    if not count:
        yield out, request
    for number in range(count):
        yield frame_file(out, number + 1), turned(request, number / count, light=light)


TEST_PATTERN = "\x00test pattern"  # no material of a project has such a name


def with_test_pattern(request: PictureRequest, object_name: str, uv_set: str) -> PictureRequest:
    """The same picture, but that one object shows checks on a UV set instead of its materials."""
    objects = tuple(
        item.model_copy(update={"material": TEST_PATTERN, "assigned": ()}) if item.name == object_name else item
        for item in request.bench.objects
    )
    materials = {**request.materials, TEST_PATTERN: checks(uv_set)}
    return replace(request, bench=request.bench.model_copy(update={"objects": objects}), materials=materials)


def with_uv_set(bench: Bench, object_name: str, changed: UvSet) -> Bench:
    """A bench with another UV set of an object, in the place of the one of that name."""

    def sets(item: BenchObject) -> tuple[UvSet, ...]:
        return tuple(changed if one.name == changed.name else one for one in item.own_uv_sets())

    objects = tuple(
        item.model_copy(update={"uv_sets": sets(item)}) if item.name == object_name else item for item in bench.objects
    )
    return bench.model_copy(update={"objects": objects})


def checks(uv_set: str) -> Network:
    """A material of fine and coarse checks on a UV set."""
    network = showing_colour(new_material(), looks.checks(uv_set))
    return network.with_card(network.cards["surface"].with_input(given("specular_roughness", "float", 0.5)))
