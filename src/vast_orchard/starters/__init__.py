"""Weights to start from, taught on drawings of our own."""
