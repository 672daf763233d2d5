"""The documentation in the window, the log, the settings."""
