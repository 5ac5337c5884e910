"""Fields, pages and style: nothing of this program's matter."""
