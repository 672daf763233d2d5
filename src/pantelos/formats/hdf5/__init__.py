"""HDF5: datasets as channels."""
