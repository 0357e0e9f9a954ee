"""The Python packaging standards: names, wheels, metadata, RECORD, tags."""
