"""Commands that bring maps in: read a folder, build materials from it."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from collage.cli.shared import finish
from collage.core.base.errors import CollageError
from collage.core.base.text import holds, shown

if TYPE_CHECKING:
    from collage.core.base.frozen import Frozen
    from collage.core.gather.build import BuildOptions
    from collage.core.gather.sets import FoundMap, FoundSet, Gathered
    from collage.core.gather.words import Role
    from collage.core.images.seamless import Seamless


app = typer.Typer(add_completion=False)


@app.command()
def gather(
    folder: Annotated[Path, typer.Argument(help="A folder with maps; folders inside it are read too.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print what was found as JSON.")] = False,
    into: Annotated[Path | None, typer.Option(help="Build a material of every set in this project.")] = None,
    only: Annotated[list[str] | None, typer.Option("--set", help="Only the set of this name; may be repeated.")] = None,
    in_place: Annotated[bool, typer.Option("--in-place", help="Leave the files where they are.")] = False,
    roles: Annotated[list[str] | None, typer.Option("--role", help="FILE=ROLE, to correct a guess.")] = None,
    greens: Annotated[list[str] | None, typer.Option("--green", help="FILE=up or FILE=down.")] = None,
    axes: Annotated[list[str] | None, typer.Option(help="FILE=red, FILE=swapped or FILE=swapped-red.")] = None,
    rules: Annotated[list[str] | None, typer.Option("--rule", help="WORD=ROLE, remembered from now on.")] = None,
    relief: Annotated[str, typer.Option(help="Use height as: auto, none, bump, displacement.")] = "auto",
    layout: Annotated[str, typer.Option(help="How the maps lie on the object: uv, hex, triplanar.")] = "uv",
    occlusion: Annotated[bool, typer.Option(help="Occlusion into the base colour.")] = True,
    metres: Annotated[float, typer.Option(help="Width of a tile in metres.")] = 1.0,
    depth: Annotated[float, typer.Option(help="Metres from dark to bright of a height map.")] = 0.008,
    assign: Annotated[str, typer.Option(help="The object to assign the first material to.")] = "",
) -> None:
    """Group the maps in a folder to sets with roles; build materials from them."""
    from collage.core.gather.build import RELIEFS, BuildOptions
    from collage.core.gather.layouts import LAYOUTS
    from collage.core.gather.report import as_json as to_json
    from collage.core.gather.rules import load_rules, save_rules, with_rule
    from collage.core.gather.scan import gathered

    known = load_rules()
    for word, role in _pairs(rules):
        known = with_rule(known, word, _role(role))
    if rules:
        save_rules(known)
    if relief not in RELIEFS:
        raise CollageError(f"A height cannot be used as “{relief}”.", remedy=f"Use one of {', '.join(RELIEFS)}.")
    if layout not in LAYOUTS:
        raise CollageError(f"There is no layout “{layout}”.", remedy=f"Use one of {', '.join(LAYOUTS)}.")
    found = _corrected(gathered(folder, known), roles, greens, axes, metres, depth)
    if only:
        found = _only(found, only)
    if as_json:
        text = json.dumps(to_json(found), ensure_ascii=False, indent=1)
        typer.echo(text if holds(text) else json.dumps(to_json(found), indent=1))
    elif into is None:
        _list(found)
    if into is not None:
        options = BuildOptions(occlusion=occlusion, relief=relief, layout=layout)  # type: ignore[arg-type]
        _build(found, folder, into, options, in_place=in_place, assign=assign, aside=as_json)


def _pairs(texts: list[str] | None) -> list[tuple[str, str]]:
    pairs = []
    for text in texts or ():
        name, sign, value = text.rpartition("=")
        if not (name and sign and value):
            raise CollageError(f"“{text}” is no pair.", remedy="Write it as NAME=VALUE.")
        pairs.append((name, value))
    return pairs


def _role(text: str) -> Role:
    from collage.core.gather.words import ROLES

    if text not in ROLES:
        raise CollageError(f"There is no role “{text}”.", remedy=f"Use one of {', '.join(ROLES)}.")
    return text  # type: ignore[return-value]


def _corrected(
    found: Gathered,
    roles: list[str] | None,
    greens: list[str] | None,
    axes: list[str] | None,
    metres: float,
    depth: float,
) -> Gathered:
    """The sets with the person's corrections."""
    from collage.core.gather.names import AXES_TEXT
    from collage.core.gather.sets import in_role, settled

    sets = [replace(one, metres=metres, depth=depth) for one in found.sets]

    def change(file: str, make: Callable[[FoundMap], FoundMap]) -> None:
        for number, one in enumerate(sets):
            for at, every in enumerate(one.maps):
                if file in (every.files[0], Path(every.files[0]).name):
                    sets[number] = settled(one.with_map(at, make(every)), at)
                    return
        raise CollageError("No set has this file.", about=file, remedy="Name it as the list does.")

    for file, text in _pairs(roles):
        role = _role(text)
        change(file, lambda one, role=role: in_role(one, role))  # type: ignore[misc]
    for file, green in _pairs(greens):
        if green not in ("up", "down"):
            raise CollageError(f"Normal Y is up or down, not “{green}”.", about=file)
        change(file, lambda one, green=green: replace(one, green=green))  # type: ignore[misc]
    for file, text in _pairs(axes):
        wanted = "" if text == "usual" else text.replace("-", " ")
        if wanted not in AXES_TEXT:
            raise CollageError(f"Axes are usual, red, swapped or swapped-red, not “{text}”.", about=file)
        change(file, lambda one, wanted=wanted: replace(one, axes=wanted, confidence=1.0))  # type: ignore[misc]
    return replace(found, sets=tuple(sets))


def _only(found: Gathered, names: list[str]) -> Gathered:
    known = {one.name for one in found.sets}
    for name in names:
        if name not in known:
            raise CollageError(f"There is no set “{name}”.", remedy=f"Choose one of {', '.join(sorted(known))}.")
    return replace(found, sets=tuple(one for one in found.sets if one.name in names))


def _list(found: Gathered) -> None:
    from collage.core.gather.names import axes_text

    for one in found.sets:
        typer.echo(shown(_heading(one)))
        for every in one.maps:
            mark = " " if every.sure else "?"
            green = f", normal Y {axes_text(every.axes, every.green)}" if every.role == "normal" else ""
            files = every.files[0] if len(every.files) == 1 else f"{every.files[0]} and {len(every.files) - 1} more"
            typer.echo(shown(f"  {mark} {every.label:16} {every.confidence:4.0%}  {files}{green}"))
            for remark in every.remarks:
                typer.echo(f"{'':27}{remark}")
    for left in found.leftover:
        typer.echo(shown(f"unused: {left.file}: {left.reason}"))


def _heading(one: FoundSet) -> str:
    return f"{one.name}" + (f"  ({one.folder})" if one.folder else "") + "".join(f"  {text}" for text in one.remarks)


def _build(
    found: Gathered, folder: Path, into: Path, options: BuildOptions, *, in_place: bool, assign: str, aside: bool
) -> None:
    """aside : what is told goes to stderr, since stdout has the JSON."""
    from collage.core.gather.project import build_into

    first = ""
    for name, remarks in build_into(found.sets, folder, into, options, in_place=in_place):
        first = first or name
        typer.echo(f"{name}: built" + "".join(f" {text}" for text in remarks), err=aside)
    if assign and first:
        _assign(into, assign, first)


def _assign(folder: Path, object_name: str, material: str) -> None:
    from collage.cli.shared import object_number, saved_session
    from collage.core.actions.materials import assign_material

    with saved_session(folder) as session:
        assign_material(session, object_number(session.project, object_name), material)


# ---- the library --------------------------------------------------------------------------------


@app.command()
def library(
    words: Annotated[list[str] | None, typer.Argument(help="Words to find.")] = None,
    kind: Annotated[str, typer.Option(help="map set, image, material or environment.")] = "",
    folder: Annotated[list[Path] | None, typer.Option(help="Other folders than the library's own.")] = None,
    make: Annotated[bool, typer.Option("--make", help="Make the sample library first.")] = False,
) -> None:
    """List what the library holds; make the sample library."""
    from collage.cli.shared import progress
    from collage.core.assets import stock
    from collage.core.gather.rules import load_rules
    from collage.demo.library import library_steps

    if kind and kind not in stock.KINDS:
        raise CollageError(f"There is no kind “{kind}”.", remedy=f"Use one of {', '.join(stock.KINDS)}.")
    if make:
        with progress("Making the sample library") as show:
            for text, share in library_steps(stock.default_folder()):
                show(text, share)
    folders = folder or [one for one in (stock.default_folder(),) if one.is_dir()]
    if not folders:
        raise CollageError("The library is empty.", remedy="Make the sample library with --make.")
    every = [item for one in folders for item in stock.items(one, load_rules())]
    for item in stock.search(every, " ".join(words or []), kind or None):  # type: ignore[arg-type]
        typer.echo(f"{item.kind:12} {item.name:24} {item.path}")


# ---- photographs --------------------------------------------------------------------------------

Photograph = Annotated[Path, typer.Argument(help="A picture.")]
Crop = Annotated[str, typer.Option(help="Left, top, right, bottom as fractions of the picture: 0.1,0,0.9,1.")]


def _crop(text: str) -> dict[str, float]:
    try:
        left, top, right, bottom = (float(part) for part in text.split(","))
    except ValueError:
        raise CollageError(f"“{text}” is no region.", remedy="Write four fractions, for example 0.1,0,0.9,1.") from None
    return {"left": left, "top": top, "right": right, "bottom": bottom}


def _checked(make: type[Frozen], **values: object) -> Any:
    """A recipe of values from the command line; what is out of range is told in a sentence."""
    from pydantic import ValidationError

    try:
        return make(**values)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise CollageError(f"{where} is out of range: {first['msg'].lower()}.", remedy="See --help.") from None


CornersText = Annotated[
    str,
    typer.Option(
        "--corners", help="Straighten perspective: “find”, or four corners clockwise, X,Y X,Y X,Y X,Y, 0 to 1."
    ),
]
Proportion = Annotated[float, typer.Option(help="Width to height of what the corners enclose; 0: worked out.")]
Bulge = Annotated[float, typer.Option(help="Lens bulge to undo, -0.5 to 0.5.")]


@app.command()
def seamless(
    photograph: Photograph,
    out: Annotated[Path, typer.Option("--out", "-o", help="The tiling map: .png, .tif or .exr.")],
    crop: Crop = "0,0,1,1",
    corners: CornersText = "",
    proportion: Proportion = 0.0,
    bulge: Bulge = 0.0,
    angle: Annotated[float, typer.Option(help="Degrees to straighten by.")] = 0.0,
    size: Annotated[int, typer.Option(help="Long side in pixels; 0 keeps it.")] = 0,
    period: Annotated[
        str, typer.Option(help="Length of a regular pattern: “find”, or pixels of the region, ACROSS,DOWN.")
    ] = "",
    even: Annotated[float, typer.Option(help="How much to even the lighting, 0 to 1.")] = 0.7,
    overlap: Annotated[float, typer.Option(help="Blend width, as a fraction of a side.")] = 0.2,
    patches: Annotated[int, typer.Option(help="Mix the tile of so many patches a side instead.")] = 0,
    seed: Annotated[int, typer.Option(help="Seed of the patches.")] = 0,
) -> None:
    """Make a photograph tile, with a seam score before and after."""
    from collage.core.images.made import make_seamless_file, read_record
    from collage.core.images.seamless import Seamless

    region = _cut(photograph, crop, corners, bulge=bulge, proportion=proportion, angle=angle, size=size)
    how = _checked(Seamless, region=region, even=even, overlap=overlap, patches=patches, seed=seed)
    how = _with_period(how, period, photograph)
    finish(make_seamless_file(photograph, out, how), "Making it seamless")
    record = read_record(out)
    assert record.before is not None
    assert record.after is not None
    typer.echo(f"{out}  seam {record.before[0]:.2f} to {record.after[0]:.2f}, "
               f"broken pattern {record.before[-1]:.0%} to {record.after[-1]:.0%}, "
               f"repetition {record.before[1]:.0%} to {record.after[1]:.0%}")  # fmt: skip


def _cut(picture: Path, crop: str, corners: str, **more: object) -> Any:
    """The region of a picture that is asked for. corners : as they are written, or to be found."""
    from collage.core.images.region import Region

    return _checked(Region, **_crop(crop), corners=_corners(corners, picture), **more)


def _corners(text: str, photograph: Path) -> Any:
    """Four corners as they are written, or found in the picture; None for none."""
    from collage.core.images.files import read_pixels
    from collage.core.images.vanishing import find_corners

    if text.strip().lower() == "find":
        return find_corners(read_pixels(photograph))
    if not text:
        return None
    try:
        points = [tuple(float(one) for one in point.split(",")) for point in text.split()]
    except ValueError:
        points = []
    if [len(point) for point in points] != [2, 2, 2, 2]:
        raise CollageError(f"“{shown(text)}” are not four corners.", remedy="Write 0.1,0.1 0.9,0.1 0.9,0.9 0.1,0.9.")
    return tuple(points)


def _with_period(how: Seamless, text: str, photograph: Path) -> Seamless:
    """The recipe with the length of its pattern: as it is written, in pixels of the region, or found."""
    from collage.core.images.files import read_info, read_pixels
    from collage.core.images.region import taken, taken_size
    from collage.core.images.seamless import Seamless, regular

    if not text:
        return how
    if text.strip().lower() == "find":
        found = regular(how, taken(read_pixels(photograph), how.region))
        if not any(found.period):
            raise CollageError("No pattern is found that repeats.", remedy="Give its length: --period 225,150.")
        return found
    try:
        across, down = (float(one) for one in text.split(","))
    except ValueError as error:
        remedy = "Write pixels across and down: 225,150."
        raise CollageError(f"“{shown(text)}” is not a length.", remedy=remedy) from error
    info = read_info(photograph)
    width, height = taken_size((info.width, info.height), how.region)
    if across > width or down > height:
        raise CollageError(f"The pattern is larger than the region, {width}×{height}.", remedy="Give a smaller one.")
    return _checked(Seamless, **{**dict(how), "period": (across / width, down / height)})


@app.command()
def derive(
    photograph: Photograph,
    out_dir: Annotated[Path, typer.Option(help="Where the maps go, as 16-bit PNG.")],
    maps: Annotated[str, typer.Option(help="Which of height, normal, roughness, occlusion.")] = "height,normal",
    broad: Annotated[float, typer.Option(help="Weight of large shapes in the height.")] = 0.6,
    middle: Annotated[float, typer.Option(help="Weight of medium shapes.")] = 1.0,
    fine: Annotated[float, typer.Option(help="Weight of fine detail.")] = 0.9,
    stains: Annotated[float, typer.Option(help="How much to ignore stains, 0 to 1.")] = 0.9,
    inverse: Annotated[bool, typer.Option("--inverse", help="Invert height.")] = False,
    tiles: Annotated[bool | None, typer.Option(help="Source already tiles; found out if left out.")] = None,
    metres: Annotated[float, typer.Option(help="Tile width in metres.")] = 1.0,
    depth: Annotated[float, typer.Option(help="Metres from the lowest to the highest.")] = 0.02,
) -> None:
    """Derive height, normals, roughness and occlusion from a photograph."""
    from collage.core.gather.names import stem_of
    from collage.core.images.derive import HeightFrom, joints_are_bright
    from collage.core.images.files import read_pixels
    from collage.core.images.made import Derive, make_derived_files, tiles_already

    wanted = tuple(part.strip() for part in maps.split(",") if part.strip())
    if not wanted:
        raise CollageError("No map is wanted.", remedy="Name some of height, normal, roughness, occlusion.")
    pixels = read_pixels(photograph)
    if tiles is None:
        tiles = tiles_already(photograph, pixels)
    if not inverse and joints_are_bright(pixels):
        typer.echo("The joints are brighter than the rest: if they lie deeper, add --inverse.", err=True)
    del pixels  # which are read again when it is their turn
    height = _checked(
        HeightFrom, broad=broad, middle=middle, fine=fine, stains=stains, inverse=inverse, tiles=tiles
    )  # fmt: skip
    how = _checked(Derive, maps=wanted, height=height, metres=metres, depth=depth)
    for path in finish(make_derived_files(photograph, out_dir, how, stem_of(photograph.name)), "Deriving maps"):
        typer.echo(str(path))


@app.command()
def region(
    picture: Photograph,
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write.")],
    crop: Crop = "0,0,1,1",
    corners: CornersText = "",
    proportion: Proportion = 0.0,
    bulge: Bulge = 0.0,
    angle: Annotated[float, typer.Option(help="Degrees to straighten by.")] = 0.0,
    turns: Annotated[int, typer.Option(help="Quarter turns counter-clockwise.")] = 0,
    channel: Annotated[str, typer.Option(help="all, r, g, b, a or luminance.")] = "all",
    size: Annotated[int, typer.Option(help="Long side in pixels; 0 keeps it.")] = 0,
) -> None:
    """Crop, straighten, turn or resize a picture, or take one channel of it."""
    from collage.core.images.made import make_region_file

    numbers = {"bulge": bulge, "proportion": proportion, "angle": angle, "turns": turns, "size": size}
    how = _cut(picture, crop, corners, **numbers, channel=channel)
    finish(make_region_file(picture, out, how), "Cutting")
    typer.echo(str(out))


@app.command()
def remake(
    picture: Annotated[Path, typer.Argument(help="A picture that Collage made, or its record.")],
) -> None:
    """Remake a picture from its record, after its source has changed."""
    from collage.core.images.made import make_again

    for path in finish(make_again(picture), "Making it again"):
        typer.echo(str(path))
