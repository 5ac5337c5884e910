"""The project document, its commands, its file."""
