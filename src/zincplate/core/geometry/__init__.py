"""Places: maps, warps, rectangles, directions, sizes."""
