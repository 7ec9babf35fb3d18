"""Reading and writing of files, and nothing else: raw and DNG, TIFF, JPEG, PNG, ICC profiles, EXIF."""
