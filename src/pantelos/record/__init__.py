"""The record: raw numbers of every channel as recorded, their scaling, and where they are kept.

Raw data stays raw. A channel keeps the recorder's numbers where they are, with a scaling chain beside them; scaled values are
made block by block. Numbers in a source file are read when asked for and never mapped (record/file_numbers.py): a file that
shrinks is an error, not the end. Every reader tells formats/storing.py where numbers stand plainly in the file, or hands over
blocks of those that do not; the latter are converted once into the store (record/store.py), a folder in the user's cache
directory that appears by one rename or not at all, and may be deleted at any time. The pyramid of every channel lies there
too, all levels mapped: a picture touches the level it draws.

One record, one grid. A file gives a Recording for each of its time bases: columns, and when their samples were taken, in even
segments or at instants of their own (record/timing.py). record/assembly.py sets recordings side by side or behind each other
on one even grid; a Channel is read on it piece by piece (record/pieces.py): directly where samples lie on the grid, between
them where they do not, NaN where there is none. So gaps, several rates, skew, uneven time, trimming and time zero cost
nothing where they do not occur, and formulas, readings and tables know nothing of them.
"""
