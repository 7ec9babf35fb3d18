"""Merges: frames that were taken to be one picture become a master, which develops like a camera file."""
