"""Pictures that are finished already: one file per format, each in its own colour space."""
