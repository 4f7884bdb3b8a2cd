"""Throws damaged input at what reads files, for some minutes, and prints how it took it. Run by `make campaign`.

Every input comes from a seed, so that what went wrong can be looked at again: `tools/campaign.py --kind documents --seed N`.
Inputs are taken in by children: one that dies, or takes longer than PATIENCE for one input, is told with its seed.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import random
import resource
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

PATIENCE = 5.0  # seconds for one input
MEMORY = 2 * 2**30  # bytes that a child may take more than it began with
BATCH = 50  # inputs a child takes in
EXTREMES = (b"nan", b"inf", b"-1", b"0", b"1e308", b"99999999999999999999", b"2147483648", b"", b"\x00", b"\xff\xfe",
            b"../" * 40, b"x" * 2000, b"<", b"&", b'"', b"]]>", b"\r\n", b"{}", b"null", b"[]")  # fmt: skip

Take = Callable[[bytes, Path], None]


@dataclass
class Kind:
    """A kind of input. samples : sound ones to damage. take : takes a damaged one in, in a folder of its own."""

    samples: list[bytes]
    take: Take
    every: int = 1  # it has its turn in one round of so many: some take long
    patience: float = PATIENCE


@dataclass
class Tally:
    """How a kind of input was taken: how many of each ending, and the seeds of those that went wrong."""

    endings: Counter[str] = field(default_factory=Counter)
    wrong: list[tuple[int, str]] = field(default_factory=list)


def damaged(sample: bytes, seed: int) -> bytes:
    """The sample with a few bytes, words or parts changed, doubled, swapped or cut off."""
    draw, data = random.Random(seed), bytearray(sample)
    for _ in range(draw.choice((1, 1, 2, 3, 8))):
        at = draw.randrange(len(data) + 1)
        end = min(at + draw.choice((1, 2, 8, 60, 400)), len(data))
        act = draw.randrange(6)
        if act == 0 and at < len(data):
            data[at] ^= 1 << draw.randrange(8)
        elif act == 1:
            data[at:end] = draw.choice(EXTREMES)
        elif act == 2:
            data[at:at] = data[at:end] * draw.choice((1, 2, 30))
        elif act == 3:
            del data[at:end]
        elif act == 4:
            _replace_number(data, at, draw)
        else:
            del data[at:]
    return bytes(data)


def _replace_number(data: bytearray, at: int, draw: random.Random) -> None:
    """The next number after a place becomes an extreme one."""
    while at < len(data) and not 48 <= data[at] <= 57:
        at += 1
    end = at
    while end < len(data) and (48 <= data[end] <= 57 or data[end] == 46):
        end += 1
    data[at:end] = draw.choice(EXTREMES)


def kinds(folder: Path) -> dict[str, Kind]:
    """All kinds of input. folder : for a sample project."""
    import numpy as np
    import OpenImageIO as oiio

    import collage.core.render.warm  # noqa: F401  not anew in every child
    from collage.core.document.materialx import parse_document, write_document
    from collage.core.evaluate.sheets import evaluate_graphs
    from collage.core.gather.scan import gathered
    from collage.core.images.files import read_pixels, write_image
    from collage.core.images.made import read_record
    from collage.core.nodes.library import load_library
    from collage.core.project.folder import PROJECT_FILE, load_project, save_project
    from collage.demo.shed import celadon_glaze, lime_bloomed_clay, make_sample, weathered_bench

    oiio.attribute("threads", 1)  # threads of a parent are missing in its children
    oiio.attribute("exr_threads", -1)
    library = load_library()
    make_sample("plain-ball", folder)
    made = [write_document(one()).encode() for one in (lime_bloomed_clay, celadon_glaze, weathered_bench)]
    pictures = []
    pixels = np.random.default_rng(1).random((24, 24, 3), np.float32)
    for suffix in ("png", "jpg", "tif", "exr", "hdr"):
        path = folder / f"sample.{suffix}"
        write_image(path, pixels if suffix in ("exr", "hdr", "tif") else (pixels * 255).astype(np.uint8))
        pictures.append(suffix.encode() + b"\n" + path.read_bytes())
    stored = (folder / PROJECT_FILE).read_bytes()

    def document(data: bytes, place: Path) -> None:
        (place / "d.mtlx").write_bytes(data)
        parsed = parse_document(data)
        written = write_document(parsed)
        assert write_document(parse_document(written.encode())) == written, "it is not read as it was written"
        for done in evaluate_graphs(library, place / "d.mtlx", 4, 4, place):
            if done.error is not None:
                raise done.error

    def project(data: bytes, place: Path) -> None:
        (place / "materials").mkdir()
        (place / PROJECT_FILE).write_bytes(data)
        for file in (folder / "materials").iterdir():
            (place / "materials" / file.name).write_bytes(file.read_bytes())
        found, problems = load_project(place)
        save_project(found, place)
        assert load_project(place)[0] == found, "it is not loaded as it was saved"
        if problems:
            raise problems[0]

    def picture(data: bytes, place: Path) -> None:
        suffix, _, rest = data.partition(b"\n")
        name = place / f"p.{''.join(one for one in suffix.decode(errors='replace')[:8] if one.isalnum())}"
        name.write_bytes(rest)
        read_pixels(name)

    def names(data: bytes, place: Path) -> None:
        for part in data.split(b"\n")[:6]:
            name = part.replace(b"/", b"_").replace(b"\0", b"_")[:120] or b"x"
            (place / os.fsdecode(name + b"_roughness.png")).write_bytes(b"no picture")
        gathered(place)

    def record(data: bytes, place: Path) -> None:
        (place / "p.made.json").write_bytes(data)
        read_record(place / "p.png")

    return {
        "documents": Kind(made, document),
        "projects": Kind([stored], project),
        "pictures": Kind(pictures, picture),
        "names": Kind([b"rock wall\nm\xc3\xb6ss\nbark_2k\nwood.1001\na_u1_v1\nb"], names),
        "records": Kind([b'{"source": "a.png", "derive": {"maps": ["height"], "metres": 1.0}}'], record),
    }


def saves() -> dict[str, Kind]:
    """Saves that fail, are killed or collide; the damaged input decides where and when."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
    import signal

    from collage.core.base.errors import CollageError
    from collage.core.project.folder import load_project, save_project
    from faults import Fault, disk_full, leftovers, project

    def states(data: bytes) -> tuple[random.Random, Any, Any]:
        draw = random.Random(data)
        first = draw.randrange(-8, 7)
        return draw, project(first), project(first + 1)

    def whole(place: Path, *states: Any) -> None:
        found, problems = load_project(place)
        assert not problems, f"it cannot be read: {problems[0]}"
        assert found in states, "states are mixed"
        save_project(states[-1], place)
        assert load_project(place) == (states[-1], []), "it is not saved afterwards"
        assert leftovers(place) == [], "something is left over"

    def full_disk(data: bytes, place: Path) -> None:
        draw, before, after = states(data)
        save_project(before, place)
        try:
            with Fault(draw.randrange(6000), disk_full, block=1).in_place():
                save_project(after, place)
        except CollageError as error:
            remedy = error.remedy
        else:
            remedy = ""
        if remedy:
            assert "nothing is lost" in remedy, "it does not say that nothing is lost"
            assert load_project(place) == (before, []), "it was told, and is not as before"
        whole(place, before, after)

    def in_child(work: Callable[[], object]) -> int:
        child = os.fork()
        if child == 0:
            with contextlib.suppress(BaseException):
                work()
                os._exit(0)
            os._exit(1)
        return child

    def killed(data: bytes, place: Path) -> None:
        draw, before, after = states(data)
        save_project(before, place)

        def again_and_again() -> None:
            while True:
                save_project(after, place)
                save_project(before, place)

        child = in_child(again_and_again)
        time.sleep(draw.uniform(0.001, 0.04))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        whole(place, before, after)

    def collision(data: bytes, place: Path) -> None:
        _, before, after = states(data)
        save_project(before, place)
        children = [in_child(lambda one=one: [save_project(one, place) for _ in range(5)]) for one in (before, after)]
        ends = [os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) for child in children]
        assert ends == [0, 0], "a save failed"
        whole(place, before, after)

    draws = [bytes(range(start, start + 16)) for start in range(0, 240, 16)]
    kept = {"disks": full_disk, "kills": killed, "collisions": collision}
    return {name: Kind(draws, one, every=5, patience=30.0) for name, one in kept.items()}


def commands(folder: Path) -> dict[str, Kind]:
    """Wrong command lines on a project. folder : of the project, which none of them may make unreadable."""
    import io
    import shlex

    from collage.cli.root import run as run_command
    from collage.core.base.errors import CollageError
    from collage.core.project.folder import load_project

    lines = [
        "cards list {} Plain", "cards add {} Plain fractal2d --at 1,2", "cards set {} Plain fractal2d.octaves 3",
        "cards wire {} Plain fractal2d surface.base_weight", "cards name {} Plain fractal2d Finer",
        "cards link {} Plain surface.coat_weight surface.base_weight --factor 2 --offset 0.1",
        "cards box {} Plain surface --title Box", "cards skip {} Plain fractal2d", "cards remove {} Plain fractal2d",
        "materials new {} Moss", "materials rename {} Moss Lichen", "materials delete {} Moss",
        "materials assign {} Plain Ball", "bench exposure {} 1.5", "bench light {} sun --height 40 --turn 20",
        "render {} -o out.png --size 16x12 --quality draft", "info {}", "info {}/project.json", "files {}",
        "evaluate {}/materials/plain.mtlx --all --size 8x8 --out-dir out", "gather {} --metres 1",
        "derive {}/sample.png --maps height,normal", "seamless {}/sample.png -o b.png --seed 3",
        "region {}/sample.png -o c.png --crop 0.1,0.1,0.9,0.9 --angle 3", "nodes --summary", "samples", "library",
    ]  # fmt: skip

    def command(data: bytes, place: Path) -> None:
        text = data.decode(errors="surrogateescape").replace("{}", str(folder))
        try:
            words = shlex.split(text)
        except ValueError:
            words = text.split()
        sys.argv, told, code = ["collage", *(word.replace("\0", "") for word in words)], io.StringIO(), 0
        with contextlib.chdir(place), contextlib.redirect_stdout(told), contextlib.redirect_stderr(told):
            try:
                run_command()
            except SystemExit as ended:
                code = int(ended.code or 0)
        load_project(folder)
        if code:
            raise CollageError(told.getvalue().strip())

    return {"commands": Kind([line.encode() for line in lines], command, every=2, patience=30.0)}


def take(kind: Kind, seed: int) -> str:
    """Takes one input in; how it ended: "read", "told", or what went wrong."""
    from collage.core.base.errors import CollageError

    sample = kind.samples[seed % len(kind.samples)]
    with tempfile.TemporaryDirectory() as place:
        try:
            kind.take(damaged(sample, seed), Path(place))
        except CollageError as error:
            return "told" if str(error).strip() else "an empty sentence"
        except Exception:
            return traceback.format_exc().strip().split("\n")[-1][:200]
    return "read"


def batch(kind: Kind, first: int, tally: Tally) -> None:
    """BATCH inputs in a child of their own, from this seed on."""
    seed = first
    while seed < first + BATCH:
        readable, writable = os.pipe()
        child = os.fork()
        if child == 0:
            _child(kind, range(seed, first + BATCH), readable, writable)
        os.close(writable)
        seed = _listen(child, readable, range(seed, first + BATCH), tally, kind.patience)


def _child(kind: Kind, seeds: range, readable: int, writable: int) -> None:
    os.close(readable)
    null = os.open(os.devnull, os.O_WRONLY)
    os.dup2(null, 2)  # what libraries say of broken files is not of interest
    size = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (size + MEMORY, size + MEMORY))
    for seed in seeds:
        os.write(writable, (take(kind, seed) + "\n").encode(errors="replace"))
    os._exit(0)


def _listen(child: int, readable: int, seeds: range, tally: Tally, patience: float) -> int:
    """Notes what the child says of each input, and ends one that is silent for too long. The next seed."""
    import select

    text, seed = b"", seeds.start
    while seed < seeds.stop:
        ready, _, _ = select.select([readable], [], [], patience)
        more = os.read(readable, 65536) if ready else b""
        if not more:
            os.kill(child, 9)
            _note(tally, seed, "it hangs" if not ready else "the process died")
            seed += 1
            break
        *lines, text = (text + more).split(b"\n")
        for line in lines:
            _note(tally, seed, line.decode(errors="replace"))
            seed += 1
    os.close(readable)
    os.waitpid(child, 0)
    return seed


def _note(tally: Tally, seed: int, ending: str) -> None:
    good = ending in ("read", "told")
    tally.endings[ending if good else "wrong"] += 1
    if not good:
        tally.wrong.append((seed, ending))


def run(seconds: float, first: int = 0, only: str = "") -> dict[str, Tally]:
    """Takes in inputs of all kinds for some time, from a seed on."""
    with tempfile.TemporaryDirectory() as place:
        found = kinds(Path(place) / "sample") | saves() | commands(Path(place) / "sample")
        every = {name: kind for name, kind in found.items() if only in ("", name)}
        tallies = {name: Tally() for name in every}
        begin, seed = time.monotonic(), first
        while seed == first or time.monotonic() - begin < seconds:
            for name, kind in every.items():
                if (seed - first) // BATCH % kind.every == 0 or only:
                    batch(kind, seed, tallies[name])
            seed += BATCH
        return tallies


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    parser.add_argument("--minutes", type=float, default=2.0)
    parser.add_argument("--seed", type=int, default=0, help="the first one")
    parser.add_argument("--kind", default="")
    given = parser.parse_args()
    tallies = run(given.minutes * 60, given.seed, given.kind)
    print(f"{'':12}{'inputs':>8}{'read':>8}{'told':>8}{'wrong':>8}")
    for name, tally in tallies.items():
        ends = tally.endings
        print(f"{name:12}{ends.total():8}{ends['read']:8}{ends['told']:8}{ends['wrong']:8}")
        for seed, ending in tally.wrong[:20]:
            print(f"    seed {seed}: {ending}")
    return int(any(tally.wrong for tally in tallies.values()))


if __name__ == "__main__":
    sys.exit(main())
