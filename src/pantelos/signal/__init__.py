"""Pure numeric kernels: plain functions on arrays, no knowledge of files, channels or studies.

A few loops are compiled. NumPy passes over memory once per operation. Where that was most of the time (points of a spline,
sums over many pieces, squares of voltages) the loop itself stands there, typed and compiled by Numba (signal/compiled.py): it
fills in an array, lets go of the interpreter meanwhile, and its machine code is kept beside the module or in the user's
cache. Only that module knows Numba, which is loaded when the first such loop runs.
"""
