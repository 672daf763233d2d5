"""What is wired where, and the power, energy and harmonics that follow from it."""
