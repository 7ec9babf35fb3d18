"""Where a pass acts: shapes drawn by hand, ranges of tone and colour, and what is found, as planes 0..1."""
