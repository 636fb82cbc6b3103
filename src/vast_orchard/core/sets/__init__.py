"""How pictures are divided into sets."""
