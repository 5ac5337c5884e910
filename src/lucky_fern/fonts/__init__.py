"""Fonts that ship with the program; their licences stand in LICENCES.txt."""
