"""The quay's window: how the stand-in game shows exported files."""
