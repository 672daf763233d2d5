"""The engine: what can be computed of a study and its record.

The engine is parts handed to each other. engine/evaluation.py puts them together: names, times, samples, drawing, cycles,
references, places; each knows those before it and nothing of those behind. Every result has an identity made of what it
depends on: fingerprint of the source, scaling, formula, interval, settings. Nobody puts it together: a
function that is remembered (engine/remembered.py) has it made of its name and of what it was asked, by one rule for channels,
intervals, connections and references. Same identity, same result; anything else is computed anew, off the interface thread,
by one thread at a time (engine/results.py, bounded by the bytes it holds). What took long is kept for the next run too,
in one file of the cache folder, whatever it is, where it reads back as it was (engine/kept.py). Totals per block of a waveform
(signal/sums/totals.py) are kept as they grow: a second mean over a long record reads its two ends only.

Circumstances are a part too. engine/circumstances.py says how channels and cycles are taken: as recorded, or with an input
moved, or with noise drawn. So the second look of the accuracy goes through the same door as every other number.

Each connection has its own reference. engine/references.py says whose cycles count for a set of channels, and why; readings,
powers, harmonics, tables and the header ask it. The answer is part of a result's identity.

Accuracy is a second look. engine/uncertainty/ evaluates the same study with one input of one channel moved; the difference is
its contribution, for a reading, a power or a readout alike. Budgets are values (accuracy/budget.py); rules of the registry of
readings spare the second look where a reading simply grows or shifts with its channel. Numbers are shown first, their
accuracy follows.
"""
