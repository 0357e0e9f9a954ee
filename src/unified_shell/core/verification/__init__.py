"""Checks, their running, and findings with causes and remedies."""
