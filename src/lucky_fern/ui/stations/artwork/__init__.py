"""The Artwork station."""
