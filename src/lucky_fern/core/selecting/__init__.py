"""Choosing faces: by how they hang together, what they face, where they are seen, what lies on them."""
