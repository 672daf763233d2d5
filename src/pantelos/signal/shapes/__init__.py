"""What a waveform looks like: pulses, repeats, ellipses, noise, what is unlike the rest."""
