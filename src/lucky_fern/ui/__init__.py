"""The window: shows what the core computes and hands edits to it as commands."""
