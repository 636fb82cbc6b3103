"""Serving: a process of its own that answers others by the models that are in use."""
