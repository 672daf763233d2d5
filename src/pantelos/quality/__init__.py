"""Parameters of power quality: rms per half-cycle, disturbances, flicker, signalling, aggregation in time."""
