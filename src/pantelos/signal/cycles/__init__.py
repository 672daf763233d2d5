"""Cycles of a waveform: how they are found, what they are followed by, and the stretch a number is taken over.

Cycles are found once per channel. signal/cycles/cycle_search.py surveys a waveform (survey.py), tells whether it rests on a
few levels (states.py), follows the ridge of its frequency over time (track.py), asks the autocorrelation for a second opinion
(periodicity.py) and crosses the fundamental (fundamental.py): filtered where the frequency is steady, drawn over its phase
(octaves.py) where it changes. Interruptions are gone through or left open (interruptions.py). What comes out is a value,
Cycles, that says which cycles were seen, which continue the last period, or why there are none. The filter mixes both sides
of a step, and what lies beyond an end. So crossings within some cycles of an end, a step or a gap are placed anew, each side
by itself (seams.py): by a periodic waveform of unknown frequency that is fitted to the samples of that side alone
(periodic_fit.py), where it leaves little and tells more than the filter. What windows of several cycles are cut by is the
smooth law behind the crossings (phase_law.py): a tone beside the fundamental moves single crossings, not windows.
"""
