"""The board, the pages of layers and masks, the history."""
