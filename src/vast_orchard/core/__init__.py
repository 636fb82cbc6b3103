"""The computation: arrays in, arrays out; no files, database, clock, environment or global random state."""
