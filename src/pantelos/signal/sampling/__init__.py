"""Between samples and far above them: values at any instant, pictures of any width.

Drawing costs pixels. signal/sampling/pyramid.py answers any view from lows and highs per 256 samples and coarser. Bands
between lowest and highest sample are made into pixels by NumPy and laid into one picture per lane, about 1 ms each; moving an
edge repaints no trace. The painting is our own because it is the heart of the interface.
"""
