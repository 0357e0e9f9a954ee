"""Packages in an environment: requests, solving, the change, its lines, locks, requirement files, removal."""
