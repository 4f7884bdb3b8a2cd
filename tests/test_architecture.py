"""The core stands without the window; the system check names packages."""

from __future__ import annotations

import pkgutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_the_whole_core_is_imported_without_qt() -> None:
    import collage.core

    names = [one.name for one in pkgutil.walk_packages(collage.core.__path__, "collage.core.")]
    assert len(names) > 40
    code = f"import importlib, sys\nfor name in {names!r}: importlib.import_module(name)\nassert not [m for m in sys.modules if 'PySide' in m or 'shiboken' in m or m.startswith('collage.app')]"
    subprocess.run([sys.executable, "-c", code], check=True, timeout=200)


def test_a_look_at_the_library_needs_no_compiled_kernels() -> None:
    code = "import sys\nfrom collage.core.nodes.library import load_library\nload_library()\nassert 'numba' not in sys.modules, 'starting must not wait for the compiler'"
    subprocess.run([sys.executable, "-c", code], check=True, timeout=100)


def test_missing_system_packages_are_named(monkeypatch, capsys) -> None:
    import importlib.util

    spec = importlib.util.spec_from_file_location("check_system", ROOT / "tools" / "check_system.py")
    assert spec is not None
    assert spec.loader is not None
    check = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(check)
    monkeypatch.setattr(check.ctypes.util, "find_library", lambda name: None if name == "EGL" else "lib")
    assert check.main() == 1
    assert "apt-get install libegl1" in capsys.readouterr().err
    monkeypatch.setattr(check.ctypes.util, "find_library", lambda name: "lib")
    assert check.main() == 0
