"""A recorder that is none: inputs that see scenes of our own, a converter, a trigger, outputs, and faults to order."""
