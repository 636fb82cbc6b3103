"""Tests of the serving process."""
