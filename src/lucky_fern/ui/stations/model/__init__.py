"""The Model station."""
