"""Packs: an outfit with all that it needs in one archive; what the machine that it is for has is left out."""
