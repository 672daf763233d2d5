"""A recording that nobody has said anything about; and how long a test waits for an event."""

import numpy as np

NO_LIMIT_MS = 2**31 - 1  # a busy machine takes as long as it takes: a hang is ended by the run as a whole


def write_unknown(path):
    """Semicolons, decimal commas, volts behind dividers and clamps still in mV."""
    t = np.arange(5000) / 5000
    lines = ["Zeit [s];U L1 [V];U L2 [V];U L3 [V];I L1 [mV];I L2 [mV];I L3 [mV]"]
    turns = [2 * np.pi * (50 * t - k / 3) for k in range(3)]
    columns = [t, *(230 / 200 * np.sqrt(2) * np.sin(x) for x in turns), *(50 * np.sqrt(2) * np.sin(x - np.pi / 3) for x in turns)]
    lines += [";".join(f"{value:.6f}" for value in row).replace(".", ",") for row in zip(*columns, strict=True)]
    path.write_text("\n".join(lines) + "\n")
    return path
