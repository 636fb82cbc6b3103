"""Scores, confusion and intervals."""
