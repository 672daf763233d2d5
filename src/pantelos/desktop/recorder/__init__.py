"""The Recorder page: what is to be recorded as one readable sentence, what follows from it, and what comes, live."""
