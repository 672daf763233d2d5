"""The formula language: grammar, units checked before a sample is touched, evaluation block by block."""
