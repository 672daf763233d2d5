"""The window. Widgets hold no logic: what to show and what a gesture means is decided in `presenter`, without Qt."""
