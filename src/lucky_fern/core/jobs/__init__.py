"""Job files: the program without its window."""
