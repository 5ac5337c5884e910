"""The log of a session: what was done and is not saved, on disk as it is done, and brought back after a crash."""
