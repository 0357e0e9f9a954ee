"""What a verification found, kept: as a value, compared with an earlier one, and as documents to hand on."""
