"""The stations' own panels."""
