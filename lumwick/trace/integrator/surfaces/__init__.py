"""Surfaces: one file a kind, each filling a hit's normal and the lobes of its point."""
