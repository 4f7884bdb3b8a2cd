"""Maps that are slow to read: a grey stands in for them, and the complete picture is the one with them."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.making import card, given
from collage.core.document.materials import new_material
from collage.core.document.model import Input, Network, Wire
from collage.core.evaluate.run import Cancelled, Workers
from collage.core.images import level_files, store
from collage.core.images.files import Parts, write_image
from collage.core.images.level_files import LevelFiles
from collage.core.images.store import ImageRef, ImageStore
from collage.core.render.cards import CardPictures, card_pictures
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Bench, Camera, stock

SIZE = (48, 48)


class Gate:
    """Holds up the reading of files until it is opened."""

    def __init__(self) -> None:
        self.open, self.read = threading.Event(), []

    def __call__(self, path: Path, most: int = 4) -> AbstractContextManager[Parts]:
        assert self.open.wait(20)
        self.read.append(path.name)
        return self.real(path, most)

    real = staticmethod(store.pixels_in_parts)


@pytest.fixture
def gate(monkeypatch: pytest.MonkeyPatch) -> Iterator[Gate]:
    made = Gate()
    monkeypatch.setattr(store, "pixels_in_parts", made)
    yield made
    made.open.set()


@pytest.fixture
def wish(tmp_path: Path) -> PictureRequest:
    """A ball with a red picture on it."""
    write_image(tmp_path / "red.png", np.full((8, 8, 3), (230, 10, 10), np.uint8))
    file = Input("file", "filename", str(tmp_path / "red.png"), attributes={"colorspace": "srgb_texture"})
    image = card("image", "image", "color3", (0, 0)).with_input(file)
    network = new_material()
    surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("image")))
    bench = Bench(objects=(stock("Ball", "sphere", material="m"),), lights=(AreaLight(),), camera=Camera(distance=0.5))
    return PictureRequest(bench, {"m": network.with_card(image).with_card(surface)}, *SIZE)


def noise(seed: int) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 255, (64, 64, 3), np.uint8)


def redness(picture: np.ndarray) -> float:
    middle = picture[20:28, 20:28].reshape(-1, 3).mean(axis=0)
    return float(middle[0] / middle[1])


def settled(ready: Callable[[], bool]) -> bool:
    end = time.monotonic() + 20
    while not ready() and time.monotonic() < end:
        time.sleep(0.01)
    return ready()


def own_threads(others: set[threading.Thread]) -> list[threading.Thread]:
    """Threads that read maps, but those of windows that other tests have open."""
    return [one for one in threading.enumerate() if one.name.startswith("maps") and one not in others]


def test_a_grey_stands_in_and_the_complete_picture_has_the_map(library, gate: Gate, wish: PictureRequest) -> None:
    others = set(threading.enumerate())
    renderer = Renderer(library)
    first = next(iter(renderer.stages(wish, patient=False)))
    assert redness(first.display) == pytest.approx(1, abs=0.25), "light and its warmth alone"
    assert gate.read == []
    again = next(iter(renderer.stages(wish, patient=False)))
    assert redness(again.display) < 1.3
    gate.open.set()
    *_, complete = renderer.stages(wish)
    assert redness(complete.display) > 3
    np.testing.assert_array_equal(complete.linear, Renderer(library).picture(wish).linear)
    assert gate.read == ["red.png", "red.png"], "once in each renderer"
    renderer.images.close()
    assert settled(lambda: not own_threads(others))


def test_once_it_is_read_no_grey_stands_in(library, gate: Gate, wish: PictureRequest) -> None:
    renderer = Renderer(library)
    next(iter(renderer.stages(wish, patient=False)))
    gate.open.set()
    (ref,) = renderer.surface("m", wish.materials["m"], None, wish.bench.loud).images
    assert settled(lambda: renderer.images.begin(ref))
    assert redness(next(iter(renderer.stages(wish, patient=False))).display) > 3
    renderer.images.close()


def test_a_picture_is_called_off_while_it_waits(library, gate: Gate, wish: PictureRequest) -> None:
    renderer = Renderer(library)
    begin = time.monotonic()
    with pytest.raises(Cancelled):
        list(renderer.stages(wish, cancelled=lambda: time.monotonic() > begin + 0.3))
    assert not gate.open.is_set()
    assert time.monotonic() - begin < 5


def test_broken_files_are_told_when_they_were_waited_for(library, gate: Gate, wish: PictureRequest) -> None:
    path = Path(str(wish.materials["m"].cards["image"].inputs["file"].value))
    path.write_bytes(b"no picture")
    renderer = Renderer(library)
    assert not next(iter(renderer.stages(wish, patient=False))).problems
    gate.open.set()
    *_, complete = renderer.stages(wish)
    assert "red.png" in str(next(iter(complete.problems.values())))
    renderer.images.close()


@pytest.mark.parametrize(
    ("ref", "wanted"),
    [(ImageRef("a", "srgb_texture"), (0.5, 0.5, 0.5)), (ImageRef("a"), (0.5, 0.5, 1.0)),
     (ImageRef("a", single=True), (0.5,))],
)  # fmt: skip
def test_what_stands_in(ref: ImageRef, wanted: tuple[float, ...]) -> None:
    grey = ImageStore().open(replace(ref, stand_in=True))
    found = grey.read(np.array([[0.2, 7.0], [0.4, -3.0]], np.float32))
    np.testing.assert_allclose(found, np.repeat(np.array(wanted)[:, None], 2, 1), atol=1e-4)
    assert replace(ref, stand_in=True).stamp != ref.stamp


def test_a_budget_smaller_than_the_maps_ends_all_the_same(library, tmp_path: Path) -> None:
    """Each pushes the other out; nobody waits forever."""
    images = ImageStore()
    images.budget.limit = 1000
    network = new_material()
    cards = []
    for number in range(3):
        write_image(tmp_path / f"{number}.png", noise(number))
        file = Input("file", "filename", str(tmp_path / f"{number}.png"), attributes={"colorspace": "srgb_texture"})
        cards.append(card(f"image{number}", "image", "color3", (0, 0)).with_input(file))
    add = card("sum", "add", "color3", (0, 0), in1=("color3", Wire("image0")), in2=("color3", Wire("image1")))
    last = card("all", "add", "color3", (0, 0), in1=("color3", Wire("sum")), in2=("color3", Wire("image2")))
    surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("all")))
    made: Network = network
    for one in (*cards, add, last, surface):
        made = made.with_card(one)
    bench = Bench(objects=(stock("Ball", "sphere", material="m"),))
    request = PictureRequest(bench, {"m": made}, *SIZE)
    assert len(list(Renderer(library, images).stages(request))) == 2
    images.close()


def painted(path: str) -> Network:
    """A material whose colour is an image."""
    file = Input("file", "filename", path, attributes={"colorspace": "srgb_texture"})
    image = card("image", "image", "color3", (0, 0)).with_input(file)
    network = new_material()
    surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("image")))
    return network.with_card(image).with_card(surface)


def test_it_gets_sharper_map_by_map_the_nearest_first(library, tmp_path: Path, monkeypatch) -> None:
    gates = {name: threading.Event() for name in ("a.png", "z.png")}
    begun, real = [], store.pixels_in_parts

    def slow(path: Path, most: int = 4) -> AbstractContextManager[Parts]:
        begun.append(path.name)
        assert gates[path.name].wait(20)
        return real(path, most)

    monkeypatch.setattr(store, "pixels_in_parts", slow)
    for name in gates:
        write_image(tmp_path / name, np.full((8, 8, 3), (230, 10, 10), np.uint8))
    near, far = (
        stock(name, "sphere", material=name, place=(side, 0, depth))
        for name, side, depth in (("z", -0.12, 0.4), ("a", 0.12, 0.0))
    )
    bench = Bench(objects=(far, near), lights=(AreaLight(),), camera=Camera(turn=0, distance=1.2))
    request = PictureRequest(bench, {name: painted(str(tmp_path / f"{name}.png")) for name in "az"}, *SIZE)
    renderer, images = Renderer(library, workers=Workers(1)), []
    for picture in renderer.stages(request):
        images.append(picture)
        if len(images) == 1:
            gates["z.png"].set()
        else:
            gates["a.png"].set()
    reds = [[_side(one.display, slice(0, 24)), _side(one.display, slice(24, 48))] for one in images]
    assert begun[0] == "z.png"
    assert max(reds[0]) < 1.3
    assert reds[1][0] > 2 > 1.3 > reds[1][1]
    assert min(reds[-1]) > 2
    assert [one.complete for one in images] == [False] * (len(images) - 1) + [True]
    np.testing.assert_array_equal(images[-1].linear, Renderer(library).picture(request).linear)
    renderer.images.close()


def _side(picture: np.ndarray, columns: slice) -> float:
    """How red the reddest of one side is."""
    part = picture[:, columns].reshape(-1, 3).astype(float) + 1
    return float(np.percentile(part[:, 0] / part[:, 1], 95))


@pytest.fixture
def tiled(tmp_path: Path) -> PictureRequest:
    """A ball that lies in the first of three tiles."""
    for number in (1001, 1002, 1003):
        write_image(tmp_path / f"pot.{number}.png", noise(number))
    bench = Bench(objects=(stock("Ball", "sphere", material="m"),), lights=(AreaLight(),), camera=Camera(distance=0.5))
    return PictureRequest(bench, {"m": painted(str(tmp_path / "pot.<UDIM>.png"))}, *SIZE)


def test_tiles_are_read_where_they_are_seen(library, gate: Gate, tiled: PictureRequest) -> None:
    renderer = Renderer(library)
    grey = next(iter(renderer.stages(tiled, patient=False)))
    assert gate.read == []
    gate.open.set()
    *_, complete = renderer.stages(tiled)
    assert gate.read == ["pot.1001.png"]
    assert not np.array_equal(grey.linear, complete.linear)
    np.testing.assert_array_equal(complete.linear, Renderer(library).picture(tiled).linear)
    moving = next(iter(renderer.stages(tiled, patient=False)))
    np.testing.assert_allclose(moving.linear, complete.linear, atol=1e-6, err_msg="no greys where it is there")
    renderer.images.close()


def test_broken_tiles_are_told_when_they_are_seen(library, tmp_path: Path, tiled: PictureRequest) -> None:
    cut = tmp_path / "pot.1001.png"
    cut.write_bytes(cut.read_bytes()[:-5000])
    renderer = Renderer(library)
    assert "pot.1001.png" in " ".join(map(str, renderer.picture(tiled).problems.values()))
    (tmp_path / "pot.1003.png").write_bytes(b"no picture")
    told = renderer.picture(tiled).problems
    assert told, "of one that is not seen, the header is looked at"
    renderer.images.close()


def test_a_picture_is_called_off_while_it_waits_for_a_tile(library, gate: Gate, tiled: PictureRequest) -> None:
    renderer = Renderer(library)
    begin = time.monotonic()
    with pytest.raises(Cancelled):
        renderer.picture(tiled, cancelled=lambda: time.monotonic() > begin + 0.3)
    assert time.monotonic() - begin < 5


def test_tiles_that_lie_ready_are_there_at_once(library, tmp_path: Path, tiled: PictureRequest, monkeypatch) -> None:
    monkeypatch.setattr(level_files, "LEAST", 1000)
    tiled = replace(tiled, mode="base_color")  # no light, of which a first picture has less
    for _ in range(2):
        files = LevelFiles(tmp_path / "levels")
        renderer = Renderer(library, ImageStore(files=files))
        moving = next(iter(renderer.stages(tiled, patient=False)))
        *_, complete = renderer.stages(tiled)
        renderer.images.close()
        files.settle()
        monkeypatch.setattr(store, "pixels_in_parts", None)  # nothing is decoded at the second start
    np.testing.assert_array_equal(moving.linear, complete.linear)


def test_cards_show_greys_and_say_so(library, gate: Gate, wish: PictureRequest) -> None:
    images, network = ImageStore(), wish.materials["m"]

    def made() -> CardPictures:
        return card_pictures(library, network, ["image"], images=images, until=time.monotonic())

    first = made()
    assert first.waiting == {((), "image")}
    assert np.ptp(first.pictures["image"]) == 0
    gate.open.set()
    assert settled(lambda: not images.reading)
    then = made()
    assert not then.waiting
    assert then.pictures["image"][..., 0].min() > 200
    assert then.pictures["image"][..., 1].max() < 30
    images.close()
