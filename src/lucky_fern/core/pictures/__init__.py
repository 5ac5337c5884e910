"""Pictures: reading, filtering and sampling."""
