"""Cycles of a waveform: how they are found, what they are followed by, and the stretch a number is taken over."""
