"""One package per file format, found through the registry.

Nothing is told in one place only. What a reader left out, guessed or found odd is a Notice with one wording
(formats/remarks.py); it goes with the recording through the store to the preview, the command line, the checks and the
provenance of tables.
"""
