"""Finished tables, explanations and exports of what the engine computed."""
