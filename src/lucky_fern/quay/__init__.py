"""The quay: the small stand-in game that shows what a game makes of exported files, read from disk only."""
