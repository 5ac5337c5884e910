"""What is measured from the model itself: edges, crevices, what is covered, thickness, borders, noise in space."""
