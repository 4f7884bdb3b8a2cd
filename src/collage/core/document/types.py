"""The standard's value types: their sizes, and their text form."""

from __future__ import annotations

from collage.core.document.model import Value

CHANNELS = {
    "float": 1,
    "integer": 1,
    "boolean": 1,
    "color3": 3,
    "color4": 4,
    "vector2": 2,
    "vector3": 3,
    "vector4": 4,
    "matrix33": 9,
    "matrix44": 16,
}
"""Numbers per value of each numeric type."""

FLOATS = {"float", "color3", "color4", "vector2", "vector3", "vector4"}
TEXTS = {"string", "filename", "geomname"}
SHADERS = {
    "surfaceshader",
    "displacementshader",
    "volumeshader",
    "lightshader",
    "material",
    "BSDF",
    "EDF",
    "VDF",
}


def parse(type_name: str, text: str) -> Value | None:
    """The value that a document's text stands for; None for a type without literals.

    Raises ValueError where the text does not fit the type.
    """
    if type_name in TEXTS:
        return text
    if type_name == "boolean":
        if text.strip() not in ("true", "false", "1", "0"):
            raise ValueError(f"“{text}” is neither true nor false")
        return text.strip() in ("true", "1")
    if type_name == "integer":
        return min(max(int(text), -(2**31)), 2**31 - 1)  # the standard's integers have 32 bits
    if type_name == "float":
        return float(text)
    count = CHANNELS.get(type_name)
    if count is None:
        return text if type_name not in SHADERS else None
    numbers = tuple(float(part) for part in text.split(","))
    if len(numbers) != count:
        raise ValueError(f"“{text}” has {len(numbers)} numbers, {type_name} takes {count}")
    return numbers


def number_text(number: float) -> str:
    """The shortest text that gives the same number again."""
    text = repr(float(number))
    return text[:-2] if text.endswith(".0") else text


def write(value: Value) -> str:
    """The text of a value in a document."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return value
    if isinstance(value, tuple):
        return ", ".join(number_text(number) for number in value)
    return str(value) if isinstance(value, int) else number_text(value)


def zero(type_name: str) -> Value | None:
    """The neutral value of a type, used where a definition gives none."""
    if type_name in TEXTS:
        return ""
    if type_name == "boolean":
        return False
    if type_name == "integer":
        return 0
    if type_name == "float":
        return 0.0
    if type_name == "matrix33":
        return (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
    if type_name == "matrix44":
        return tuple(1.0 if at % 5 == 0 else 0.0 for at in range(16))
    count = CHANNELS.get(type_name)
    return (0.0,) * count if count else None
