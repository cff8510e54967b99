"""What the documents say is where it is: every file and folder that the map names."""

from __future__ import annotations

import re
from fnmatch import fnmatch
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[3]
TOPS = ("lumwick", "studio", "scripts", "tests", "docs", "requirements", "frontend")


def paths() -> list[str]:
    """All files and folders of ours, from the root."""
    found = [
        path for top in TOPS for path in (ROOT / top).rglob("*") if not {"__pycache__", "node_modules"} & {*path.parts}
    ]
    return [path.relative_to(ROOT).as_posix() for path in [*ROOT.glob("*"), *found]]


@pytest.mark.parametrize("name", ["docs/architecture.md", "CONTRIBUTING.md", "docs/glossary.md", "NOTICES.md"])
def test_every_path_that_is_named_is_there(name: str) -> None:
    text = (ROOT / name).read_text()
    named = {one for one in re.findall(r"`([\w./*-]+)`", text) if re.search(r"/|\.(py|js|md|json|toml)$", one)}
    named |= {one for one in re.findall(r"\]\(([\w./-]+)\)", text)}
    assert len(named) > 4
    known = ["/" + path for path in paths()]
    missing = [one for one in sorted(named) if not any(fnmatch(path, f"*/{one.strip('/')}") for path in known)]
    assert not missing, missing


def test_every_function_that_the_map_says_to_call_is_there() -> None:
    rows = re.findall(
        r"^\| `((?:lumwick|studio)/\w+)` \|.*\| ([^|]+) \|$", (ROOT / "docs/architecture.md").read_text(), re.M
    )
    asked = [(folder, one) for folder, told in rows for one in re.findall(r"`([\w.]+)`", told)]
    assert len(asked) > 25
    for folder, one in asked:
        *module, name = one.split(".")
        if module and module[-1][0].isupper():  # a method of a class
            *module, _of, name = *module[:-1], module[-1], name
        path = ROOT / folder / Path(*module)
        file = path.with_suffix(".py") if path.with_suffix(".py").exists() else path / "__init__.py"
        assert file.exists() and re.search(rf"\b{name}\b", file.read_text()), (folder, one)
