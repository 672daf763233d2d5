"""Uncertainty of measured values after the ISO/IEC Guide 98-3: inputs, contributions, budgets."""
