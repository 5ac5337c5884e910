"""The kit: the tray, what arrives in it, who made what is in it."""
