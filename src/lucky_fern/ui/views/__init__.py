"""The model view, the sheet view, and what is drawn over them."""
