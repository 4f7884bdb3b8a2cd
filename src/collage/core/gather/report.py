"""What was gathered, as plain data for other programs."""

from __future__ import annotations

from typing import Any

from collage.core.gather.sets import FoundMap, Gathered


def as_json(found: Gathered) -> dict[str, Any]:
    """{"sets": [{"name", "maps": [{"role", "files", "colorspace", "green", "confidence", ...}]}], "leftover": [...]}.

    Besides what every map has: "channels" of a packed one, {"r": role, ...}; "tiles" and "missing" of a numbered
    one; "used" where it is the second of its role; "remarks", sentences.
    """
    return {
        "sets": [
            {
                "name": one.name,
                "folder": one.folder,
                "maps": [_map(every) for every in one.maps],
                "remarks": list(one.remarks),
            }
            for one in found.sets
        ],
        "leftover": [one.file for one in found.leftover],
        "reasons": {one.file: one.reason for one in found.leftover},
    }


def _map(one: FoundMap) -> dict[str, Any]:
    made: dict[str, Any] = {
        "role": one.role,
        "files": list(one.files),
        "colorspace": one.colorspace,
        "green": one.green,
        "confidence": one.confidence,
        "sure": one.sure,
        "reason": one.reason,
    }
    if one.axes or one.measured_axes:
        made["axes"], made["measured_axes"] = one.axes, one.measured_axes
    if one.channels:
        made["channels"] = dict(one.channels)
    if one.tiles:
        made["tiles"], made["missing"] = list(one.tiles), list(one.missing)
    if not one.used:
        made["used"] = False
    if one.remarks:
        made["remarks"] = list(one.remarks)
    return made
