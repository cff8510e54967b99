"""The kinds of plants: a module for each, and its line here."""

from __future__ import annotations

from lumwick.growth.kinds import alder, birch, grass, hawthorn, oak, pine, poplar, reed, scrub, willow
from lumwick.growth.kinds.kind import Kind

KINDS: dict[str, Kind] = {
    "pine": pine.KIND,
    "alder": alder.KIND,
    "birch": birch.KIND,
    "oak": oak.KIND,
    "willow": willow.KIND,
    "poplar": poplar.KIND,
    "hawthorn": hawthorn.KIND,
    "scrub": scrub.KIND,
    "reed": reed.KIND,
    "grass": grass.KIND,
}
