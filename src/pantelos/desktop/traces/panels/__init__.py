"""The panels below the ledger: a row of frames, each with a title and a body that shows what was computed."""
