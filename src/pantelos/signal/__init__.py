"""Pure numeric kernels: plain functions on arrays, no knowledge of files, channels or studies."""
