"""Command line: the same use cases as the page, or the engine alone."""
