"""The commands of the simulated recorder, a module for each subsystem of SCPI-1999."""
