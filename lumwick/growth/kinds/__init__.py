"""The kinds of plants: a module for each, and its line here."""

from __future__ import annotations

from lumwick.growth.kinds import alder, birch, grass, hawthorn, herb, oak, pine, poplar, reed, scrub, stone, willow
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
    "heather": herb.HEATHER,
    "reed": reed.KIND,
    "grass": grass.KIND,
    "marram": grass.MARRAM,
    "meadow": grass.MEADOW,
    "poppy": herb.POPPY,
    "oxeye": herb.OXEYE,
    "cornflower": herb.CORNFLOWER,
    "stones": stone.KIND,
}
USUAL: dict[str, tuple[float, float]] = {
    "pine": (11.0, 120),
    "alder": (9.0, 150),
    "birch": (12.0, 180),
    "oak": (13.0, 60),
    "willow": (10.0, 80),
    "poplar": (18.0, 120),
    "hawthorn": (5.0, 150),
    "scrub": (1.3, 400),
    "heather": (0.4, 22_000),
    "reed": (1.8, 12_000),
    "grass": (0.4, 12_000),
    "marram": (0.8, 9_000),
    "meadow": (0.7, 24_000),
    "poppy": (0.55, 4_000),
    "oxeye": (0.5, 6_000),
    "cornflower": (0.6, 4_000),
    "stones": (0.35, 250),
}
"""Height [m] and number on a hectare that one begins with (practice)."""
