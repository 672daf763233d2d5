"""Spectra of any stretch, and single tones in it."""
