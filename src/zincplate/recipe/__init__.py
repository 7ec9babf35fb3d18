"""The recipe: the stored adjustments of a version as one document, its older and newer forms, its words and its schema."""
