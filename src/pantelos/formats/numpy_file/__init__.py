"""NPY and NPZ: arrays as channels."""
