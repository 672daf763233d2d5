"""The shelf beside the lanes: the formulas of the study, and the functions there are."""
