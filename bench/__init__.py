"""Benchmarks: figures the product promises, measured in one run."""
