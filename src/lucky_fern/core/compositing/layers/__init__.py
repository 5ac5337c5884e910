"""The kinds of layers, one file each: which chunks they touch, and how they are put on."""
