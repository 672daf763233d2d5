"""Levels that a waveform rests on or crosses, and the pieces between its crossings.

Events are found by skipping. signal/levels/level_search.py is a state machine fed only with the buckets of 256 samples in
which the state can change, in the recorded numbers' own type. What to look for is kept (study/model.py), read and written as
a sentence (study/sentences.py), and found by engine/event_search.py.
"""
