"""The command line: everything the window does to a study, without a window, with identical numbers."""
