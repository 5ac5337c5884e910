"""What the hand does in a view, one class each; they know a protocol of a view, never a view."""
