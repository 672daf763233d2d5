"""The hand-over: sheets that read like pages of a report, and what they are written to."""
