"""Readings: scalars of a waveform over a stretch, each with its unit, place and method."""
