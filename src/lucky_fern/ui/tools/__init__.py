"""What is in hand: brush, fill, slide, stripe, faces. No widgets."""
