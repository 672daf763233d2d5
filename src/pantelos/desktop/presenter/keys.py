"""What the mouse and the keys do, as a page."""

_GESTURES = (
    ("drag along the time axis; Shift and drag in the traces", "new interval"),
    ("drag between a and b in the lower half of the ruler, or a bar in the strip", "move the interval"),
    ("drag edge a or b", "move the edge; it snaps as chosen in the menu"),
    ("drag in the traces", "zoom to the rectangle"),
    ("wheel; Shift and wheel", "zoom at the pointer; move in time"),
    ("middle button, or Ctrl and drag", "move in time; let go while moving to glide"),
    ("double click in the traces", "whole record"),
    ("Alt and drag, Alt and wheel in a lane", "shift or scale the nearest trace alone"),
    ("drag or wheel on a value axis; double click", "zero line, scale; whole record again"),
    ("drag a channel name", "overlay it on another lane, or give it one of its own"),
    ("click a name, Ctrl and click more; double click", "choose channels; edit a formula, collapse the lane"),
    ("drag the head or the lower border of a lane", "its place, its height"),
    ("drag the dashed level or its band", "level and hysteresis of the events"),
    ("right click in a lane", "what can be done with the channel"),
    ("click a heading; click a number", "which readings; what stands behind it"),
    ("click an interval in the strip", "make it active; double click zooms to it"),
    ("double click the title of a panel", "let it fill the window, and back"),
)


def keys_text(commands: list[tuple[str, str]]) -> str:
    """Return gestures and shortcuts as rich text."""
    gestures = "".join(f"<tr><td>{what}</td><td>&nbsp;&nbsp;{does}</td></tr>" for what, does in _GESTURES)
    half = (len(commands) + 1) // 2
    pairs = [(commands[k], commands[k + half] if k + half < len(commands) else ("", "")) for k in range(half)]
    keys = "".join(
        f"<tr><td>{a}</td><td>&nbsp;<b>{b}</b></td><td>&nbsp;&nbsp;&nbsp;{c}</td><td>&nbsp;<b>{d}</b></td></tr>"
        for (a, b), (c, d) in pairs
    )
    return f"<h3>Mouse</h3><table>{gestures}</table><h3>Keys</h3><table>{keys}</table>"
