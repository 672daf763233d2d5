"""The engine in layers: names and types, waveforms and their drawing, places and cycles; `Evaluation` stands on top."""
