"""Why a merge cannot be."""


class MergeError(Exception):
    """Why frames cannot be merged, in a sentence for whoever asked."""
