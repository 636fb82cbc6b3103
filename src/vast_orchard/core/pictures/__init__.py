"""What is computed on pixels before the network sees them."""
