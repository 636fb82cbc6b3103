"""The shape of the code: who may import whom, what is public, what is documented."""

import ast
import re
from collections.abc import Iterator
from dataclasses import fields
from pathlib import Path

import pytest

from vast_orchard.core.pictures.operations import KINDS
from vast_orchard.core.training.settings import SETTINGS
from vast_orchard.core.watching.lookouts import LOOKOUTS
from vast_orchard.errors import SettingError
from vast_orchard.settings import PREFIX, Settings, read_settings, trainings_at_once

_ROOT = Path(__file__).parents[1]
_SOURCE = _ROOT / "src" / "vast_orchard"
_MODULES = sorted(path for path in _SOURCE.rglob("*.py") if "migrations" not in path.parts)

# `upgrades` is a leaf but for its own parts: values in, values out.
_LEAVES = {"errors", "kernel_cache", "types", "settings", "logs", "upgrades", "__init__"}
_MAY_IMPORT = {
    "core": {"core"},
    "store": {"store"},
    "formats": {"formats", "core"},
    "demo": {"demo", "core"},
    "made_up": {"made_up", "demo", "core"},
    "starters": {"starters", "core"},
    "at_once": {"at_once", "store", "formats", "core", "starters"},
    "jobs": {"jobs", "at_once", "store", "formats", "core", "demo"},
    "api": {"api", "at_once", "jobs", "store"},
    "serving": {"serving", "api", "at_once", "jobs", "store", "formats", "core"},
    "supervision": {"supervision", "at_once", "jobs", "store", "demo"},
    "cli": {
        "cli",
        "api",
        "at_once",
        "jobs",
        "store",
        "formats",
        "core",
        "demo",
        "made_up",
        "starters",
        "supervision",
        "serving",
    },
}


def _imports(tree: ast.AST) -> set[str]:
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


def _part(name: str) -> str:
    return name.split(".")[1] if "." in name else "__init__"


@pytest.mark.parametrize("path", _MODULES, ids=lambda path: str(path.relative_to(_SOURCE)))
def test_imports_point_one_way(path: Path) -> None:
    own = path.relative_to(_SOURCE).parts[0].removesuffix(".py")
    ours = {_part(name) for name in _imports(ast.parse(path.read_text())) if name.split(".")[0] == "vast_orchard"}
    allowed = _MAY_IMPORT.get(own, set()) | _LEAVES | ({"__version__"} if own != "core" else set())
    assert ours <= allowed, f"{path.name} imports {ours - allowed}"


@pytest.mark.parametrize("path", _MODULES, ids=lambda path: str(path.relative_to(_SOURCE)))
def test_modules_say_what_they_are_and_what_is_public(path: Path) -> None:
    tree = ast.parse(path.read_text())
    assert ast.get_docstring(tree), path
    if path.name in ("__init__.py", "__main__.py", "_steps.py"):
        return
    listed = [
        [str(ast.literal_eval(item)) for item in node.value.elts]
        for node in tree.body
        if isinstance(node, ast.Assign)
        and isinstance(node.value, ast.List)
        and any(isinstance(target, ast.Name) and target.id == "__all__" for target in node.targets)
    ]
    assert len(listed) == 1, f"{path} has no __all__"
    # Upper case first, as the linter sorts them: constants, classes, functions.
    assert listed[0] == sorted(listed[0], key=lambda name: (not name.isupper(), not name[0].isupper(), name)), path
    # A route's handler is reached through its router and not by its name.
    defined = {
        node.name
        for node in tree.body
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
        and not any("router." in ast.unparse(decorator) for decorator in node.decorator_list)
    }
    for name in listed[0]:
        assert not name.startswith("_")
    public = {name for name in defined if not name.startswith("_")}
    assert public <= set(listed[0]), f"{path}: {public - set(listed[0])}"


@pytest.mark.parametrize("path", [p for p in _MODULES if "core" in p.parts], ids=lambda path: path.name)
def test_the_core_reads_no_clock_files_or_environment(path: Path) -> None:
    forbidden = {"os", "time", "datetime", "pathlib", "random", "sqlalchemy", "PIL", "io", "tempfile"}
    assert not _imports(ast.parse(path.read_text())) & forbidden


def _public_functions(tree: ast.AST, within: str = "") -> Iterator[tuple[ast.FunctionDef, str]]:
    """Public functions and methods, with what their class says."""
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from _public_functions(node, ast.get_docstring(node) or "")
        elif isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield node, within


@pytest.mark.parametrize(
    "path", [p for p in _MODULES if "core" in p.parts and not p.name.startswith("_")], ids=lambda path: path.name
)
def test_what_touches_arrays_says_their_shapes_and_dtypes(path: Path) -> None:
    silent = []
    for function, said in _public_functions(ast.parse(path.read_text())):
        given = [a.annotation for a in (*function.args.args, *function.args.kwonlyargs)] + [function.returns]
        if not any(re.search(r"\b(Array|FloatArray)\b", ast.unparse(entry)) for entry in given if entry):
            continue
        words = (ast.get_docstring(function) or "") + said
        shape = re.search(r"[Ss]hape|\([A-Z][^)]*\)", words)
        dtype = re.search(r"float|int64|uint8|bool|dtype|8-bit|\bint\b", words)
        if not (shape and dtype):
            silent.append(function.name)
    assert not silent


def test_every_setting_is_documented_with_its_default() -> None:
    text = (_ROOT / "docs" / "settings.md").read_text()
    for entry in fields(Settings):
        row = next((line for line in text.splitlines() if f"`{PREFIX}{entry.name.upper()}`" in line), None)
        assert row, f"{entry.name} is not in docs/settings.md"
        assert entry.metadata["help"] in row
        if entry.default not in ("", None) and not isinstance(entry.default, Path):
            assert f"`{entry.default}`" in row, row


def test_settings_are_read_from_the_environment_and_overridden() -> None:
    read = read_settings({PREFIX + "PORT": "9001", PREFIX + "DATA_DIR": "/srv/o", "PORT": "1"}, host=None, port=9002)
    assert (read.port, read.data_dir, read.host) == (9002, Path("/srv/o"), "127.0.0.1")
    with pytest.raises(SettingError, match="PORT is 'many', which is not a int"):
        read_settings({PREFIX + "PORT": "many"})
    assert trainings_at_once(read_settings({PREFIX + "TRAININGS_AT_ONCE": "2"})) == 2
    with pytest.raises(SettingError, match="TRAININGS_AT_ONCE is 0"):
        trainings_at_once(read_settings({PREFIX + "TRAININGS_AT_ONCE": "0"}))


def test_the_guide_has_a_passage_on_every_setting_operation_and_lookout() -> None:
    for page, names in (
        ("training", [setting.words for setting in SETTINGS.values()]),
        ("variation", list(KINDS)),
    ):
        text = (_ROOT / "docs" / "guide" / f"{page}.md").read_text()
        told = dict(re.findall(r"^## (.+)\n\n(.+)", text, re.MULTILINE))
        assert not [name for name in names if len(told.get(name, "")) < 30], page
    told = dict(re.findall(r"^\| (.+?) \| (.+) \|$", (_ROOT / "docs/guide/training.md").read_text(), re.MULTILINE))
    assert not [entry.words for entry in LOOKOUTS.values() if len(told.get(entry.words, "")) < 30]
