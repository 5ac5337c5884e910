"""Starting the program, the window, and what holds it together."""
