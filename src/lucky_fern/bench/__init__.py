"""Measuring against references, side by side in one run (design figures)."""
