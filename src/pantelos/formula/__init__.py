"""The formula language: grammar, units checked before a sample is touched, evaluation block by block.

A formula is a waveform. formula/syntax.py makes nodes of a text, each with its place, printing.py text of nodes;
formula/compile.py and calls.py check kinds and units before a sample is touched and return something that makes the waveform
on request. They know signatures (formula/functions/function.py), no function by name: what an argument stands for, what it
has to measure, what computes the result is in the registry, partitions and readings included; completion, lists, help and the
pages follow from it. What a formula asks of its study goes through formula/scope.py. A value per piece is Blocks: values over
a Partition (signal/levels/partition.py), of which only the edges are held. Samples are computed block by block whenever they
are asked for, a channel once however often it stands in a formula, long stretches on two processors (signal/sharing.py); a
running integral keeps its totals at block starts, a filter (Neighboured) its last blocks. Nothing as long as the record is
held in memory.
"""
