"""Sums, means and extremes over any stretch: the one place where samples are added up."""
