"""Numbers with their nouns: the one place where plural forms are made."""

from __future__ import annotations


def counted(count: int, noun: str, plural: str = "") -> str:
    """``3 sheets``, ``1 sheet``; a plural that does not end in a mere s is given."""
    return f"{count} {noun if count == 1 else plural or noun + 's'}"
