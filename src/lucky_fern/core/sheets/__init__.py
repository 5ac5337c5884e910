"""Sheets: which texel is where on the surface."""
