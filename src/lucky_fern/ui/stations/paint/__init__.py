"""The Paint station."""
