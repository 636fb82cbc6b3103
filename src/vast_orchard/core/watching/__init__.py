"""What a training is recorded to have done, layer by layer, and the lookouts that read it."""
