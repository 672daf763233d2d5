"""WAV, RF64 and BW64: interleaved samples behind a header."""
