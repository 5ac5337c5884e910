"""From maps to files on disk."""
