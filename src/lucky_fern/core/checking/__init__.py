"""What will go wrong in the game, read from the composited result."""
