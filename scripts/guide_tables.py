"""The guide's tables that code knows better: written into docs/guide.md, or held against it.

python scripts/guide_tables.py writes them.
"""

from __future__ import annotations

import sys
from pathlib import Path

from lumwick.trace.quality import QUALITIES, REHEARSAL, Quality

GUIDE = Path(__file__).resolve().parent.parent / "docs" / "guide.md"
HEAD = (
    "| quality | samples a pixel, mean (most) | bounces: matt, glossy, clear | moments of the open shutter, at most |"
)
SAID = {REHEARSAL: f"{REHEARSAL} (what R makes: everything moves as in a take)"}


def _row(name: str, of: Quality) -> str:
    samples = f"{of.samples} ({of.most})" if of.most else str(of.samples)
    bounces = "none: no light is followed" if of.flat else f"{of.bounces}, {of.reflections}, {of.transmissions}"
    return f"| {SAID.get(name, name)} | {samples} | {bounces} | {of.moments} |"


def qualities() -> str:
    """The table of qualities."""
    return "\n".join([HEAD, "|---|---|---|---|", *(_row(name, of) for name, of in QUALITIES.items())])


def written(text: str) -> str:
    """The guide's text with its tables as they should be."""
    begins = text.index("| quality |")
    ends = text.index("\n\n", begins) if "\n\n" in text[begins:] else len(text.rstrip("\n"))
    return text[:begins] + qualities() + text[ends:]


if __name__ == "__main__":
    GUIDE.write_text(written(GUIDE.read_text()))
    sys.stdout.write("docs/guide.md is written\n")
