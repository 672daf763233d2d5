"""The colours of inks on paper by day: what the light theme, pictures in files and printed pages share."""

DAY = {
    "ground": "#FBFAF7", "panel": "#F2EFE8", "ink": "#22262B", "soft": "#6E7378", "rule": "#DDD8CD", "wash": "#FAEFD9",
    "edge": "#946300", "good": "#356B35", "caution": "#91480A", "fault": "#B3261E", "field": "#FFFFFF",
}  # fmt: skip
DAY_CONDUCTORS = {
    "L1": "#B4540A", "L2": "#0F7173", "L3": "#6B3FA0", "N": "#5F6B73", "DC": "#8C2F39", "shaft": "#4B6B2A", "": "#4A5560",
    "apart 1": "#4A5560", "apart 2": "#A0522D", "apart 3": "#2F6F9F", "apart 4": "#7A6A1E", "apart 5": "#93447A",
    "apart 6": "#3C7D5A",
}  # fmt: skip
