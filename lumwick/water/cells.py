"""What each cell of a water's grid tells; apart from what makes and reads it, since kernels are made from it."""

from __future__ import annotations

SLOPE_EAST, SLOPE_NORTH, FOAM, EAST, NORTH, ROUGH, HEIGHT, DEPTH = range(8)
"""Slopes of waves that stand, share of foam, speed [m/s], slopes' spread by ripples, the surface's height [m], and its
depth [m]."""
CHANNELS = 8
NO_WATER = -1e9
"""Height [m] where there is none."""
