"""What channels are when names say nothing: connections told from waveforms, each with a certainty and a reason.

`looks` says how each channel alternates within stretches of the record, `systems` which ones belong together, `quantities` which
of two systems is the voltage, `pairing` which current belongs to which voltage, `recognition` puts it together. Every decision
carries the logarithm of its odds; what is not clear is left out with a word, and what would be confident and wrong is the one
fault that counts.
"""

from pantelos.power.recognition.looks import Seen
from pantelos.power.recognition.recognition import LIKELY, SURE, Recognised, Recognition, recognise

__all__ = ["LIKELY", "SURE", "Recognised", "Recognition", "Seen", "recognise"]
