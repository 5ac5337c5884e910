"""The ways of placing, one file each: how a pose is worked out, drawn, and moved by hands."""
