"""What is removed for good, and the bytes that nobody holds any more."""
