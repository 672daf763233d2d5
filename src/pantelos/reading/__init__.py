"""Readings: scalars of a waveform over a stretch, each with its unit, place and method.

A number says why it is not there. A measurement returns its value, the window, the coverage, remarks, the uncertainty of the
method, or why there is no value (reading/reading.py); signal/validity.py is the one rule for missing samples.
"""
