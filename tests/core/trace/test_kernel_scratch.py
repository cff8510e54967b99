"""Working records of the integrator: each field belongs to one file, and nobody but surfaces writes what was hit.

A field with two uses has made a wrong picture: a shadow ray's layers wrote over the point that they began from.
"""

from __future__ import annotations

import re
from collections import defaultdict
from pathlib import Path

from lumwick.trace import integrator, records

FOLDER = Path(integrator.__file__).parent
SHARED = {"clouds": {"cloud_lattice.py", "media.py"}}
"""Results: written by the first file (alphabetically) and read by others."""
OF_ONE_SURFACE = {
    "local": "surfaces/model.py", "local_normal": "surfaces/model.py", "layout": "surfaces/model.py",
    "texel": "surfaces/model.py", "tangent": "surfaces/model.py", "bitangent": "surfaces/model.py",
    "relief": "surfaces/ground.py",
}  # fmt: skip
"""Fields of a hit that only one kind of surface knows."""


def sources() -> dict[str, str]:
    return {path.relative_to(FOLDER).as_posix(): path.read_text() for path in FOLDER.rglob("*.py")}


def files_that_name(record: str) -> dict[str, set[str]]:
    """Which files name each field of a record by the name that it goes by."""
    found: dict[str, set[str]] = defaultdict(set)
    for name, text in sources().items():
        for field in re.findall(rf"\b{record}\.([a-z_]+)", text):
            found[field].add(name)
    return found


def test_each_field_of_the_working_record_belongs_to_one_file() -> None:
    named = files_that_name("work")
    assert set(records.WORK.names or ()) == set(named)
    for field, files in named.items():
        assert files == SHARED[field] if field in SHARED else len(files) == 1, (field, files)


def test_what_many_read_one_writes() -> None:
    for field, (writer, *readers) in ((field, sorted(files)) for field, files in SHARED.items()):
        assert re.search(rf"work\.{field}\[c\] [+]?= ", sources()[writer])
        for reader in readers:
            assert not re.search(rf"work\.{field}\[[^]]+\] [-+*]?= ", sources()[reader]), reader


def test_only_surfaces_write_what_was_hit() -> None:
    write = re.compile(r"\bhit\.([a-z_]+)(?:\[[^]]*\])? (?:[-+*/]?=)[^=]")
    writers = {name for name, text in sources().items() if write.search(text)}
    assert {name for name in writers if not name.startswith("surfaces/")} == {"rays.py"}
    named = files_that_name("hit")
    for field, owner in OF_ONE_SURFACE.items():
        assert named[field] == {owner}, field
    assert set(named) <= set(records.HIT.names or ())


def test_a_shadow_ray_has_its_own_record_for_what_it_looks_through() -> None:
    """Not the hit's: the point that it began from is still needed."""
    assert {file for files in files_that_name("cut").values() for file in files} == {"rays.py"}
    assert set(records.CUT.names or ()) - {"at"} == {"local", "local_normal", "layout", "texel"}
