"""Tiny models as OBJ text."""

SIDE_BY_SIDE = """o left\nv 0 0 0\nv 1 0 0\nv 1 2 0\nv 0 2 0\nvt .02 .02\nvt .48 .02\nvt .48 .98\nvt .02 .98
usemtl paint\nf 1/1 2/2 3/3 4/4
o right\nv 2 0 0\nv 3 0 0\nv 3 2 0\nv 2 2 0\nvt .5 .02\nvt .98 .02\nvt .98 .98\nvt .5 .98\nf 5/5 6/6 7/7 8/8
"""
