"""One folder per adjustment; :mod:`zincplate.ops.order` lists them by hand in pipeline order."""
