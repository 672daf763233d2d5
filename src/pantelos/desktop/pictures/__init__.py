"""Pictures without a window: of every main view, of a panel."""
