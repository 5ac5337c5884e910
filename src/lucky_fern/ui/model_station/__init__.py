"""The Model station's panel, a page for each thing one does there."""
