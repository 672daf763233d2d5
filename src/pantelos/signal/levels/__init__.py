"""Levels that a waveform rests on or crosses, and the pieces between its crossings."""
