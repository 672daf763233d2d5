"""What pictures are made of: paper to draw on, axes, and the hue and weight a channel is drawn with. Nothing here knows Qt."""
