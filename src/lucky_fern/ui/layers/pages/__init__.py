"""What is set of a layer: one page for each kind of it."""
