"""Sums, means and extremes over any stretch: the one place where samples are added up.

One integrator. Every mean and integral over pieces, of which a window is one, comes from signal/sums/integrals.py; its ends
between samples are those of signal/sums/fractional_ends.py: a polynomial where samples are smooth, else straight lines, and
of an interval only its own samples. Powers are one algebra for numbers and arrays (power/quantities.py, resolved in
power/measurement.py), symmetrical components one function (signal/harmonics/sequences.py).
"""
