"""Looks for what is wrong with pictures."""
