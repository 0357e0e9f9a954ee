"""The one strict extractor."""
