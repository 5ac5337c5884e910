"""Esc: out of what is being done, one thing at a time."""

from __future__ import annotations

from lucky_fern.ui.window.parts import Parts


def leave(parts: Parts) -> None:
    """Back to all maps; at the Model station, out of what is being drawn and selected too."""
    if parts.colour_picking.active:
        parts.colour_picking.stop()
        return
    if parts.painting.picking_tip:
        parts.painting.set(picking_tip=False)
        return
    if parts.lending.drawing:
        parts.lending.draw_box(False)
        return
    if parts.preparing.picture:
        parts.preparing.close()
        return
    if parts.sliding.up:
        if parts.sliding.brushing:
            parts.sliding.set_brushing(False)
        else:
            parts.sliding.put_away()
        return
    if parts.blocks.in_hand is not None:
        parts.blocks.put_away()
        return
    if parts.area.armed or (parts.area.any and (parts.blocks.active or parts.looking.station == "model")):
        parts.area.clear()
        return
    if parts.dropping.thing is not None:
        parts.dropping.take(None)
        return
    if parts.striping.armed or parts.handles.pulling or parts.handles.scope_kind is not None:
        parts.handles.pick_scope(None)
        parts.striping.arm(False)
        parts.handles.set_pulling(False)
        return
    parts.looking.show_map(None)
    if parts.looking.station == "model":
        parts.fitting.arm(False)
        parts.faces.none()
