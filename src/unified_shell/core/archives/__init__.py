"""The one strict extractor, for zip and tar archives, and the packer."""
