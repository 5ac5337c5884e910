"""The kinds of edits of the layout, a file for those of one sort: how each is worked out, and what goes with it."""
