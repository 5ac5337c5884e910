"""The Check station."""
