"""Speed as ratios to a plain baseline measured in the same run: `make bench`."""
