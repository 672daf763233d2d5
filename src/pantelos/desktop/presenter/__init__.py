"""What the window shows and what gestures mean, without Qt."""
