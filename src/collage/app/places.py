"""The places of the program, in the order of the work. A new place is a package and a line here."""

from __future__ import annotations

from collage.app.shell.lazy_place import Listed

PLACES: tuple[Listed, ...] = (
    Listed(
        "Gather",
        "collage.app.gather.place:GatherPlace",
        opens=frozenset({"sets"}),
        takes_files=True,
        entries=(("File", "Gather a folder…", "gather_folder", "Ctrl+Shift+O", "Find the map sets in a folder"),),
    ),
    Listed("Wire", "collage.app.wire.place:WirePlace", opens=frozenset({"material"}), at_once=True),
    Listed("Place", "collage.app.place.place:PlacePlace"),
    Listed(
        "Judge",
        "collage.app.judge.place:JudgePlace",
        entries=(
            ("Bench", "Next light rig", "next_rig", "Ctrl+Shift+R", "Light it with the next rig"),
            ("Bench", "Save view", "save_view", "Ctrl+Shift+V", "Save this camera as a view"),
        ),
    ),
)
HOME = "Wire"  # shown when a window opens
