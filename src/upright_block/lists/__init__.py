"""Lists of points as they come from others: read, told what was taken for what, and laid over a tag table."""
