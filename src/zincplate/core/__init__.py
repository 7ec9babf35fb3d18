"""Pure functions on arrays: colour, curves, demosaicing, resampling. No files, no interface, no state."""
