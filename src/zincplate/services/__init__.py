"""Use cases: the only callers of store and engine together."""
