"""The tables of a study: one module each, from computed results to a finished table."""
