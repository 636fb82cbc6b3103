"""Loss, optimizers, schedule and the training loop as a generator of results."""
