"""One operation a pair of files: a checked wrapper, and kernels that only do arithmetic."""
