"""What is wired where, and the power, energy and harmonics that follow from it.

A wiring is proven. power/proof.py searches exchanges, rotations and reversals of a three-phase connection for the cheapest
that is plausible; the check carries it as a remedy. A remedy (study/finding.py) is a change of the study that stands beside
the finding it mends; the window only takes it.
"""
