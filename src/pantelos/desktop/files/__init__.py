"""Opening, saving, exporting, and what is shown before anything is open."""
