"""The made-up snow crystals of Ridge Station."""
