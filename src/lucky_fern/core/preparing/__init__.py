"""Pictures made ready: what each op does, and all of a list in order."""
