"""What the mouse and the keys do, as a page."""

_GESTURES = (
    ("drag along the time axis", "new interval"),
    ("Shift and drag in the traces", "new interval"),
    ("drag edge a or b", "move the edge"),
    ("drag in the traces", "zoom to the rectangle"),
    ("wheel", "zoom at the pointer"),
    ("Shift and wheel", "move in time"),
    ("middle button, or Ctrl and drag", "move in time"),
    ("double click in the traces", "whole record"),
    ("drag a channel name", "overlay it on another lane, or give it one of its own"),
    ("drag the lower border of a lane", "its height"),
    ("right click in a lane", "what can be done with the channel"),
    ("click a reading", "how it was computed"),
    ("click an interval in the strip", "make it active; double click zooms to it"),
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
