"""What `import pantelos` offers: the calls of the window and the command line, as values of Python.

A study is a value: what changes it returns another one. Numbers come with unit, ±, place and method, and explain themselves; what
cannot be given is said by an exception that is a `PantelosError`. `making` opens and reads, `study` is the centre, `value`,
`waveform`, `table` and `figure` are what a study gives, `campaign` does it again on many records.
"""
