"""The name of the kernels' cache: it changes with every source that a kernel is made from, and with no other."""

from pathlib import Path

import lumwick
from lumwick import kernel_sources, picture_sources

ROOT = Path(lumwick.__file__).parent


def test_it_counts_constants_that_kernels_import_and_not_the_document() -> None:
    names = {path.relative_to(ROOT).as_posix() for path in kernel_sources(ROOT)}
    # none of these holds a compiled function: their constants are built into those of others
    assert {"trace/world.py", "trace/records.py", "trace/integrator/compiling.py"} <= names
    assert not {"place/document.py", "trace/stage.py", "trace/render.py", "snapshot/evaluate.py"} & names


def test_a_file_far_away_is_found_by_its_import(tmp_path: Path) -> None:
    package = tmp_path / "p"
    for name, text in {
        "__init__.py": "",
        "a/__init__.py": "",
        "a/kernel.py": "from p.a import near\nimport numba as nb\n\n@nb.njit\ndef f(x):\n    return x * near.K\n",
        "a/near.py": "from p.b.far import K\n",
        "b/__init__.py": "",
        "b/far.py": "K = 2\n",
        "b/other.py": "J = 3\n",
    }.items():
        path = package / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    found = [p.relative_to(package).as_posix() for p in kernel_sources(package)]
    assert found == ["a/__init__.py", "a/kernel.py", "a/near.py", "b/far.py"]


def test_a_frames_name_counts_what_its_files_are_made_from_and_nothing_else() -> None:
    """A letter in the command line, in a demo or in a check leaves names and what is kept on disk as they are."""
    names = {path.relative_to(ROOT).as_posix() for path in picture_sources(ROOT)}
    assert {"trace/stage.py", "growth/kinds/oak.py", "place/document.py", "built/obj.py", "deliver/stills.py"} <= names
    assert not {"cli.py", "cli_air.py", "demo.py", "newplace.py", "snapshot/ride.py", "deliver/whole/usd.py"} & names
    kernels = {path.relative_to(ROOT).as_posix() for path in kernel_sources(ROOT)}
    assert {name for name in kernels - names if not name.endswith("__init__.py")} <= {
        "motion/impulses.py", "motion/tumbling.py",  # a thrown thing's keys are in the document
    }  # fmt: skip
    # whatever keeps arrays on disk is a part of what its name counts
    kept = {p.relative_to(ROOT).as_posix() for p in ROOT.rglob("*.py") if 'cached("' in p.read_text()}
    assert len(kept) > 5 and kept <= names
