"""Actions on what is visible."""

from pantelos.desktop.stage import Stage


def zoom(window: Stage, factor: float) -> None:
    """Show more or less time around the middle."""
    view = window.document.view
    window.document.show(view.zoomed(factor, (view.start_s + view.stop_s) / 2))


def pan(window: Stage, share: float) -> None:
    """Move the view by a share of its length."""
    view = window.document.view
    window.document.show(view.moved(share * view.length_s), "keys")


def show_whole(window: Stage) -> None:
    """Show all of the record."""
    window.document.show(window.document.whole)
