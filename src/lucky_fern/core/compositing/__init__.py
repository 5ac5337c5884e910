"""From the stack of layers to finished maps."""
