"""The core stands without the window; the system check names packages."""

from __future__ import annotations

import ast
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


def _imports() -> dict[str, set[str]]:
    """Every module of the program and the modules that it names in an import, those for types alone included."""
    source = ROOT / "src"
    files = {".".join(path.relative_to(source).with_suffix("").parts): path for path in source.rglob("*.py")}
    files = {name.removesuffix(".__init__"): path for name, path in files.items()}
    found: dict[str, set[str]] = {}
    for name, path in files.items():
        found[name] = set()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module in files:
                named = {f"{node.module}.{one.name}" for one in node.names}
                found[name] |= {one if one in files else str(node.module) for one in named}
            elif isinstance(node, ast.Import):
                found[name] |= {one.name for one in node.names if one.name in files}
    return found


def test_no_module_needs_itself_by_way_of_others() -> None:
    rest = _imports()
    assert len(rest) > 200
    while free := [name for name, needed in rest.items() if not (needed - {name}) & rest.keys()]:
        for name in free:
            del rest[name]
    assert not rest, f"these import each other in a circle: {sorted(rest)}"


def test_files_and_functions_are_short_enough_to_read() -> None:
    long = []
    for path in (ROOT / "src").rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        if text.count("\n") > 600:
            long.append(f"{path.name}: {text.count(chr(10))} lines")
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef) and (node.end_lineno or 0) - node.lineno >= 80:
                long.append(f"{path.name}: {node.name}")
    assert long == []
