"""The kinds of plants: a module for each, and its line here."""

from __future__ import annotations

from lumwick.growth.kinds import alder, grass, pine, reed, scrub
from lumwick.growth.kinds.kind import Kind

KINDS: dict[str, Kind] = {
    "pine": pine.KIND,
    "alder": alder.KIND,
    "scrub": scrub.KIND,
    "reed": reed.KIND,
    "grass": grass.KIND,
}
