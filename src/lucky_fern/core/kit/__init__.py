"""The kit: finding pictures in it, one's own on this computer, packs that are brought in whole."""
