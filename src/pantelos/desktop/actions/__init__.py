"""What can be done, declared once, and found by a word."""
