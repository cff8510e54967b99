"""Surfaces ready-made: what most blocked-out things are made of. Their numbers are practice, chosen by eye."""

from __future__ import annotations

from typing import Any

from lumwick.place.objects import Surface

PRESETS: dict[str, dict[str, Any]] = {
    "steel": {"name": "Brushed steel", "colour": "#b9b9b6", "metalness": 1.0, "roughness": 0.32},
    "brass": {"name": "Brass", "colour": "#d8b15f", "metalness": 1.0, "roughness": 0.18},
    "copper": {"name": "Copper", "colour": "#c77b58", "metalness": 1.0, "roughness": 0.25},
    "rust": {"name": "Rusted iron", "pattern": "rock", "colour": "#6e3a22", "second": "#3b2318", "roughness": 0.95},
    "glass": {"name": "Clear glass", "colour": "#ffffff", "roughness": 0.0, "clear": 1.0, "pane": False},
    "green-glass": {"name": "Bottle glass", "colour": "#5f9a6a", "roughness": 0.02, "clear": 1.0, "pane": False,
                    "depth_tint": 1.2},
    "varnish": {"name": "Red varnish", "colour": "#8e1d15", "roughness": 0.4, "coat": 1.0, "coat_roughness": 0.03},
    "plastic": {"name": "White plastic", "colour": "#d9d9d6", "roughness": 0.28},
    "rubber": {"name": "Black rubber", "colour": "#1c1c1d", "roughness": 0.85},
    "plank": {"name": "Oiled planks", "pattern": "planks", "colour": "#7a5433", "second": "#43291a", "roughness": 0.5},
    "grey-plank": {"name": "Weathered planks", "pattern": "planks", "colour": "#8d877c", "second": "#5d584f",
                   "roughness": 0.9},
    "plaster": {"name": "Lime plaster", "pattern": "plaster", "colour": "#ddd0b8", "second": "#bfb096",
                "roughness": 0.92},
    "concrete": {"name": "Concrete", "pattern": "plaster", "colour": "#9b9a95", "second": "#7d7c77", "roughness": 0.85},
    "brick": {"name": "Brick", "pattern": "brick", "colour": "#8f4c38", "second": "#b9ae9e", "roughness": 0.88},
    "stone": {"name": "Field stone", "pattern": "rock", "colour": "#8b867c", "second": "#5c594f", "roughness": 0.9},
    "paper": {"name": "White paper", "colour": "#e8e5de", "roughness": 0.95},
}  # fmt: skip
"""By their ids, in the order in which they are shown."""


def preset(name: str, surface_id: str) -> Surface:
    """A ready-made surface under an id of a place."""
    return Surface(id=surface_id, **PRESETS[name])
