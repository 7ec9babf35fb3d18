"""A drill: an installation of its own under a scripted user, its processes killed at random, and what was lost counted."""
