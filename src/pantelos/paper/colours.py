"""The colours of inks on paper by day: what the light theme, pictures in files and printed pages share."""

DAY = {
    "ground": "#FBFAF7", "panel": "#F2EFE8", "ink": "#22262B", "soft": "#646A70", "rule": "#DDD8CD", "wash": "#FAEFD9",
    "edge": "#946300", "good": "#2C7A33", "caution": "#9A5410", "fault": "#9C1A14", "field": "#FFFFFF", "border": "#8A867C",
}  # fmt: skip
DAY_CONDUCTORS = {
    "L1": "#A94E08", "L2": "#0F7173", "L3": "#6B3FA0", "N": "#394046", "DC": "#8C2F39", "shaft": "#537530", "": "#4A5560",
    "apart 1": "#4A5560", "apart 2": "#A0522D", "apart 3": "#2F6F9F", "apart 4": "#7A6A1E", "apart 5": "#93447A",
    "apart 6": "#357453",
}  # fmt: skip
