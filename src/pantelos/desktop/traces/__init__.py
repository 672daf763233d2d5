"""The Traces page: derive line, ledger, panels, strip."""
