"""Pantelos: power, energy and harmonics from recorded voltages and currents."""

__version__ = "0.1.0"
