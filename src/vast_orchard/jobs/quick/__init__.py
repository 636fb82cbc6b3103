"""The quick process: what a person waits for, kept apart from the API and from training."""
