"""Units of the standard: values given in one unit where a definition counts in another."""

from __future__ import annotations

from collage.core.document.model import Value
from collage.core.nodes.library import TabDef

_ANGLES = {"degree": 1.0, "radian": 57.29577951308232}
_LENGTHS = {
    "nanometer": 1e-9,
    "micron": 1e-6,
    "millimeter": 0.001,
    "centimeter": 0.01,
    "inch": 0.0254,
    "foot": 0.3048,
    "yard": 0.9144,
    "meter": 1.0,
    "kilometer": 1000.0,
    "mile": 1609.344,
}
"""How many degrees or metres a unit has (unitdefs of the standard library)."""


def in_unit_of(tab: TabDef, value: Value, unit: str) -> Value:
    """A value given in `unit`, in the unit that the input counts in: its own, or degrees and metres.

    A unit that is not known, or of another kind, leaves the value as it is.
    """
    own = tab.attributes.get("unit", "")
    for kind, plain in ((_ANGLES, "degree"), (_LENGTHS, "meter")):
        if unit in kind and (own or plain) in kind and not isinstance(value, (str, bool)):
            factor = kind[unit] / kind[own or plain]
            return tuple(one * factor for one in value) if isinstance(value, tuple) else value * factor
    return value
