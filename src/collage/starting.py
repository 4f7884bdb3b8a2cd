"""The start of the window, with little imported: it is on the screen before the rest of the program is read.

What is imported here at the top costs time before anything is seen.
"""

from __future__ import annotations

import ctypes.util
import os
import sys
from pathlib import Path

NEEDED = {
    "xcb-cursor": "libxcb-cursor0",
    "xkbcommon-x11": "libxkbcommon-x11-0",
    "xcb-icccm": "libxcb-icccm4",
    "xcb-keysyms": "libxcb-keysyms1",
    "xcb-image": "libxcb-image0",
    "xcb-render-util": "libxcb-render-util0",
    "xcb-shape": "libxcb-shape0",
    "EGL": "libegl1",
    "fontconfig": "libfontconfig1",
    "dbus-1": "libdbus-1-3",
}
"""Libraries that Qt needs for a window on X11, and the Debian packages that hold them; Qt aborts without them."""


def has_display() -> bool:
    """Whether a window can be shown at all."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")) or sys.platform != "linux"


def missing_packages() -> list[str]:
    """Debian packages without which Qt cannot open a window on this display."""
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    if sys.platform != "linux" or (platform and not platform.startswith("xcb")) or not os.environ.get("DISPLAY"):
        return []
    if os.environ.get("WAYLAND_DISPLAY") and not platform:
        return []
    return [package for library, package in NEEDED.items() if ctypes.util.find_library(library) is None]


def told_of_missing_packages() -> bool:
    """Says which system packages are missing, before Qt ends the program; True if any are."""
    missing = missing_packages()
    if missing:
        print(f"collage: Qt needs system packages: apt-get install {' '.join(missing)}", file=sys.stderr)  # noqa: T201
    return bool(missing)


def start_window(command: str, folder: Path | None = None) -> bool:
    """Opens the window for `collage demo` or `collage open`; False where there is no display to open it on."""
    if not has_display():
        return False
    if told_of_missing_packages():
        sys.exit(1)
    from collage.app.opening import Opening

    sys.exit(Opening(demo=command == "demo", folder=folder).run())
