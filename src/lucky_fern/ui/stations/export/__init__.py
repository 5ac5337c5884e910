"""The Export station."""
