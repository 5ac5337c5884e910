"""Work on single texels: canvases of sheets, blocks, lines and areas, faces cut along texels."""
