"""Accuracy carried into every number: what the inputs of the channels, stated or seen, do to a value.

A sensitivity is taken by moving one input of one channel and taking the value again (GUM 5.1.4 allows this in place of
derivatives), so it holds for any formula, for power, and for readouts. Readings of a recorded channel that grow or shift with the
waveform are told without a second look.
"""

from pantelos.engine.uncertainty.inputs import inputs_here, phaseless, seen_noise, stated_inputs
from pantelos.engine.uncertainty.moving import moved_by
from pantelos.engine.uncertainty.powers import phase_would_add, power_accuracy
from pantelos.engine.uncertainty.readings import lift_is_clear, noise_lift, reading_accuracy, try_accuracy
from pantelos.engine.uncertainty.stated import Stated
from pantelos.engine.uncertainty.values import value_accuracy

__all__ = [
    "Stated",
    "inputs_here",
    "lift_is_clear",
    "moved_by",
    "noise_lift",
    "phase_would_add",
    "phaseless",
    "power_accuracy",
    "reading_accuracy",
    "seen_noise",
    "stated_inputs",
    "try_accuracy",
    "value_accuracy",
]
