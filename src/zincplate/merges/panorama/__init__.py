"""Panoramas: overlapping frames of one view become one wide linear picture."""
