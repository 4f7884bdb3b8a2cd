"""Checks what Collage needs of the system before anything is installed, and names what is missing.

Runs with any Python 3 and no packages.
"""

import ctypes.util
import importlib.util
import sys

LIBRARIES = {
    "GL": "libgl1",
    "EGL": "libegl1",
    "xkbcommon": "libxkbcommon0",
    "fontconfig": "libfontconfig1",
    "dbus-1": "libdbus-1-3",
    "glib-2.0": "libglib2.0-0",
}
"""What Qt loads, and the Debian package that has it."""

WINDOW_LIBRARIES = {
    "xcb-cursor": "libxcb-cursor0",
    "xkbcommon-x11": "libxkbcommon-x11-0",
    "xcb-icccm": "libxcb-icccm4",
    "xcb-keysyms": "libxcb-keysyms1",
    "xcb-image": "libxcb-image0",
    "xcb-render-util": "libxcb-render-util0",
    "xcb-shape": "libxcb-shape0",
}
"""What a window on an X display needs besides."""


def missing(libraries: "dict[str, str]") -> "list[str]":
    return [package for name, package in libraries.items() if ctypes.util.find_library(name) is None]


def main() -> int:
    wrong = False
    if sys.version_info < (3, 11):
        found = ".".join(str(part) for part in sys.version_info[:2])
        sys.stderr.write("Collage needs Python 3.11 or newer; this is %s. Install python3.11.\n" % found)  # noqa: UP031
        wrong = True
    if importlib.util.find_spec("venv") is None or importlib.util.find_spec("ensurepip") is None:
        sys.stderr.write("Python's venv is missing. Install it: apt-get install python3-venv\n")
        wrong = True
    packages = missing(LIBRARIES)
    if packages:
        sys.stderr.write(f"These system packages are missing: apt-get install {' '.join(packages)}\n")
        wrong = True
    packages = missing(WINDOW_LIBRARIES)
    if packages:
        sys.stderr.write(f"For a window on a display also: apt-get install {' '.join(packages)}\n")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
